"""Reaching services: environments, connections, credentials, standing values, sign-in."""
