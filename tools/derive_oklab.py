"""Reproduce the linear-sRGB-to-LMS matrix of `nuvett.core.spaces.oklab` from the XYZ form in CSS Color 4.

Run: python tools/derive_oklab.py
"""

import numpy as np

from nuvett.core.spaces.oklab import LINEAR_TO_LMS
from nuvett.core.spaces.rgb import Space, to_xyz_matrix

# CSS Color Module Level 4, "Sample code for color conversions", XYZtoLMS.
XYZ_TO_LMS = np.array(
    [
        [0.8190224379967030, 0.3619062600528904, -0.1288737815209879],
        [0.0329836539323885, 0.9292868615863434, 0.0361446663506424],
        [0.0481771893596242, 0.2642395317527308, 0.6335478284694309],
    ]
)


def derive() -> np.ndarray:
    """(3, 3) linear sRGB to LMS."""
    return np.asarray(XYZ_TO_LMS @ to_xyz_matrix(Space.SRGB))


if __name__ == "__main__":
    derived = derive()
    print(np.array2string(derived, precision=16))
    print("largest difference to the matrix in use:", np.abs(derived - LINEAR_TO_LMS).max())
