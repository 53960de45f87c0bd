"""Who is told of what: of feeds and of records, by signed webhook or e-mail."""
