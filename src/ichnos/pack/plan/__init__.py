"""What a pack will be: the outline, then the plan. Pure values."""
