"""The mapping test: which point reaches which pin, found by moving each point by itself."""
