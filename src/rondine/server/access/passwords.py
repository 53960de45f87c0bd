"""Passwords: argon2id at the strength OWASP's cheat sheet names first for one core (19 MiB, two passes)."""

from django.contrib.auth.hashers import Argon2PasswordHasher


class Argon2(Argon2PasswordHasher):
    memory_cost = 19 * 1024
    time_cost = 2
    parallelism = 1
