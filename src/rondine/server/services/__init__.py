"""Environments, services, connections, credentials, operations, samples."""
