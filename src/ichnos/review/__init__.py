"""Looking at what was built: findings, each with a stable id, a place, a reason and a cure."""
