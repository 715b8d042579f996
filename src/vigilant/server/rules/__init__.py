"""Rules of thumb: what is believed, where it is from, and what was found when it was tried here."""
