"""Question 1: is the data fit for use?"""
