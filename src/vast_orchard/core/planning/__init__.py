"""Plans of many trainings: what is varied, in which order, who goes on, and what was learnt from it."""
