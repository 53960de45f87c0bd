"""Record types, mappings, feeds, and the records they keep."""
