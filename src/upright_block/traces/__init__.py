"""What signals did: tracks, the files that hold them, and two of them compared."""
