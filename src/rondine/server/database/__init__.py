"""Django's backend for PostgreSQL, with connections of a pool that are looked at before they are given out."""
