"""Runs, their calls, and the worker that executes them."""
