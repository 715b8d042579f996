"""Stand-ins that ship with it: the festival in real time and on a virtual clock."""
