"""People, projects, roles, tokens, permitted hosts."""
