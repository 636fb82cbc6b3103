"""The Sift: the one-line language that says which pictures, and in which order; parsed here, compiled to SQL here."""
