"""What a scan did, statement by statement, and the reasons of a value."""
