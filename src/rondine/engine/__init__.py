"""How it goes out: the one place that opens a connection to an outside service."""
