"""What the tests add to Brookfall through entry points alone."""
