"""Flows: steps with typed inputs and a typed reply; pure rules for what comes next, given what happened."""
