"""Colour computation: spaces, transfer curves, differences, temperature, adaptation, gamut, spectra."""
