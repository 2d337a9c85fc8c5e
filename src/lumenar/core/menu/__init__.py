"""Menus of displays: controls with their values, locks and resets; as documents, text and tables; what controls are for."""
