"""Test cases that builders keep: recorded responses with what they are expected to come to, checked with no network."""
