"""What the checks of the analysis say."""
