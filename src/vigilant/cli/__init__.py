"""The console command ``vigilant``: thin, on the layers below."""
