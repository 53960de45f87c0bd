"""Webhooks: what services send by themselves, verified, stored, and turned into records or runs."""
