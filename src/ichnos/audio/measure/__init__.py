"""What can be measured of sound: levels, spectra, seams, what is heard over a mix."""
