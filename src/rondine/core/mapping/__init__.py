"""A mapping document to records and rejects."""
