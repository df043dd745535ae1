"""Plans run on machines, and what came of them."""
