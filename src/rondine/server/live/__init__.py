"""Live records: found and changed at the service, through the operations that are bound to their type."""
