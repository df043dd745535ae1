"""What the checker says, a module for each of those that say it."""
