"""Question 3: does it hold up on unseen rows?"""
