"""Finding things in a project: where each is used, what is called how, and what is not as it should be."""
