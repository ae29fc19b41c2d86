"""What a person decided, put back."""
