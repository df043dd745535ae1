"""What is said of edits."""
