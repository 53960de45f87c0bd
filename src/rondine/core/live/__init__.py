"""Live records: what a service's operations do for a record type, and how questions and changes are put to them."""
