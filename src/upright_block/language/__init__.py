"""Text to typed tree."""
