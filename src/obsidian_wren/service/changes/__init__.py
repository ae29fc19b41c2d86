"""What a person decided, kept so that it can be undone."""
