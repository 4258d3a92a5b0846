#!/bin/sh
# Makes assets/fonts/stix-two-math-subset.woff2 anew: the signs of formulas out of STIX Two Math, with its MATH table. Needs
# fonttools and brotli (both on PyPI) and the font file of the npm package @fontsource/stix-two-math as the argument.
set -eu
signs="U+20-7E,U+A0,U+AC,U+AF-B3,U+B5,U+B7,U+BD,U+D7,U+F7,U+304,U+305,U+391-3A9,U+3B1-3C9,U+3D1,U+3D5,U+3F5,U+2009,U+200A"
signs="$signs,U+2013,U+2015,U+2016,U+2026,U+2032,U+2033,U+203E,U+2061-2063,U+2070-207F,U+2080-208E,U+210E,U+2113,U+2126"
signs="$signs,U+2202,U+2206,U+220F,U+2211,U+2212,U+221A,U+221D,U+221E,U+2223,U+2227,U+2228,U+2248,U+2260,U+2264,U+2265"
signs="$signs,U+22C5,U+23B4,U+1D434-1D467,U+1D6E2-1D71B"
pyftsubset "$1" --unicodes="$signs" --flavor=woff2 --layout-features='' --no-hinting \
  --output-file="$(dirname "$0")/../assets/fonts/stix-two-math-subset.woff2"
