"""Feeds: an operation, its inputs and a mapping that keep records, run after run."""
