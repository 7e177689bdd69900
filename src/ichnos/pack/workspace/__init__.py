"""What a modder says: the workspace's folder, its file and its table, and writing into them."""
