"""The plan: what will be tested, how, against which limits; its facts in words, its YAML."""
