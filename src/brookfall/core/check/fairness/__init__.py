"""Question 6: does it treat people fairly?"""
