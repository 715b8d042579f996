"""What could be tried next, each idea with the most that it could bring."""
