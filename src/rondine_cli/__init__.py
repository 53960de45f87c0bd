"""The command line: one module a command group; speaks only through rondine_client."""
