"""Operations: what a service can be asked - their documents, their inputs and values, and what a status means."""
