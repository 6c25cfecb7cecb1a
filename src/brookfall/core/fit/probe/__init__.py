"""What is asked of a model right after it was fitted, beside its scores."""
