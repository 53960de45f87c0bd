"""HTTP as the core speaks of it: messages, redirects, what comes after a response, limits. No sockets."""
