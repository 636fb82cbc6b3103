"""Made-up sets of labelled pictures that measurements train on; they differ in kind and share no drawing code."""
