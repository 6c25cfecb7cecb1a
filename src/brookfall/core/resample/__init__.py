"""Who trains and who is tested: parts and folds, as positions of rows."""
