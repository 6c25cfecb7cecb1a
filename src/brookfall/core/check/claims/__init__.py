"""Question 2: do the claims reproduce?"""
