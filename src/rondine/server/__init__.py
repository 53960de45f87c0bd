"""Who may do what, what is stored, what runs when."""
