"""What lies in the field: addresses, points, tags, and what copies them."""
