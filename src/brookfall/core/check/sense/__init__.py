"""Question 7: does it make sense?"""
