"""Plans of many runs: what is asked, what is next, what was found, and the final training."""
