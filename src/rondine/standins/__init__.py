"""The outside services of the demo world: small, on loopback, deterministic, and able to misbehave when told to."""
