"""Case files: reading them, running them, and what came of it."""
