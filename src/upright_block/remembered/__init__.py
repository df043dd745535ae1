"""What is kept of the last check and the last runs."""
