"""An operation and its inputs to a Request; one module a protocol."""
