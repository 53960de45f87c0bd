"""Values and rules: bytes in, values out. No Django, no sockets, no clock, no environment."""
