"""Files from outside: what they are, how much is taken, and writing them whole."""
