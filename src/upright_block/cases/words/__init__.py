"""What is said of case files, a module for each of those that say it."""
