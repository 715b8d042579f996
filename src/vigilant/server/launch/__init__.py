"""Starting the processes of a server on one machine, and leaving none behind."""
