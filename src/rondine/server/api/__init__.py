"""URLs, problem documents, authentication, OpenAPI, event streams."""
