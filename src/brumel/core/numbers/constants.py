"""Physical constants, once each, with unit and source."""

GAS_CONSTANT = 8.314462618
"""Molar gas constant R, J/(mol·K). Source: SI Brochure, 9th edition (2019); exact product of k and N_A."""

FARADAY = 96485.33212
"""Faraday constant F, C/mol. Source: SI Brochure, 9th edition (2019); exact product of e and N_A."""

ZERO_CELSIUS_K = 273.15
"""0 °C in kelvin. Source: SI Brochure, 9th edition (2019); exact."""
