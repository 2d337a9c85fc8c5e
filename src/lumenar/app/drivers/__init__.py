"""Drivers of displays and instruments: the one room that knows them. Other rooms ask a display's station what it can do."""
