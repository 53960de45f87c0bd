"""What is configured in a project, a document for each kind; and what documents refer to by name."""
