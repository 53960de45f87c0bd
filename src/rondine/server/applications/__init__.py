"""Applications: what programs outside may call and read, their tokens, and the door that they come in by."""
