"""What is wrong with pictures: hard to see, unlike their class, labelled against what networks say, told by facts."""
