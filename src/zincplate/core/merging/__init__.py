"""Several pictures of one subject: laying them on each other, judging them, and adding them up."""
