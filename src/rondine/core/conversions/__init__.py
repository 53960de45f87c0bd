"""Conversions of single values: the types that fields and inputs have, and the named steps from one to another."""
