"""Rondine: connects applications to outside services and keeps what they answer as records."""

__version__ = "0.1.0"
