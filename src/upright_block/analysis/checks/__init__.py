"""The checks over the facts of a library: each gives its findings, and knows nothing of how facts are found."""
