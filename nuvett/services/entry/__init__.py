"""Who may come in, where a password is asked for: the password, sessions, and attempts that failed."""
