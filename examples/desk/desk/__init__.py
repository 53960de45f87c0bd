"""The tree office's desk: a small web application over Rondine."""
