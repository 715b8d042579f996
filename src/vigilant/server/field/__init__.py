"""The field: sessions that devices send, what they add up to, and what to do about it."""
