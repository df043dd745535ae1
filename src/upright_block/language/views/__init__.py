"""What a checked library looks like from far: instances, states, graphs."""
