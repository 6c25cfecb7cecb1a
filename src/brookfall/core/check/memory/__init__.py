"""Question 4: has it memorised its training rows?"""
