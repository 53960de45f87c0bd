"""Definitions of services: looked at, imported, imported again, exported."""
