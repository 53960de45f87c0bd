"""Runs, their calls, and the worker that carries them out."""
