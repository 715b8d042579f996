"""What whoever runs the server needs: whether it lives and is ready, what it does, what is wrong and how to mend it."""
