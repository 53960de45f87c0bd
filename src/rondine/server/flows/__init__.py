"""Flows: kept as items, run step by step, and gone on with after any crash."""
