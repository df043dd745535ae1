"""What is told of texts: findings, their catalogue, what is allowed, and edits."""
