"""Changes of texts that the product proposes: what is made, never how it is written."""
