"""What the parser says, a module for each of those that say it."""
