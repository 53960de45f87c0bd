"""Releases: numbered states of a project's items, and which of them each environment goes by."""
