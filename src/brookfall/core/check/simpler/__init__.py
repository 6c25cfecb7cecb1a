"""Question 5: does it beat something simpler?"""
