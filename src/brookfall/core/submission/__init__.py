"""A submission package: what an owner sends, read without trusting it."""
