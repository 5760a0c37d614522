"""The Radau IIA method of three stages: of order 5, stable on stiff laws, and exact in what must hold at a step's end.

Hairer & Wanner, Solving Ordinary Differential Equations II, IV.8.
"""

import numpy as np

S6 = 6.0**0.5
C1, C2 = (4.0 - S6) / 10.0, (4.0 + S6) / 10.0
A = np.array(
    [
        [(88.0 - 7.0 * S6) / 360.0, (296.0 - 169.0 * S6) / 1800.0, (-2.0 + 3.0 * S6) / 225.0],
        [(296.0 + 169.0 * S6) / 1800.0, (88.0 + 7.0 * S6) / 360.0, (-2.0 - 3.0 * S6) / 225.0],
        [(16.0 - S6) / 36.0, (16.0 + S6) / 36.0, 1.0 / 9.0],
    ]
)
ERROR = np.array([(-13.0 - 7.0 * S6) / 3.0, (-13.0 + 7.0 * S6) / 3.0, -1.0 / 3.0])
REAL = 3.0 + 3.0 ** (2.0 / 3.0) - 3.0 ** (1.0 / 3.0)  # the real eigenvalue of the inverse of A
# the stages as a polynomial of the step, by which the next ones are foreseen
AHEAD = np.array(
    [
        [13.0 / 3.0 + 7.0 * S6 / 3.0, -23.0 / 3.0 - 22.0 * S6 / 3.0, 10.0 / 3.0 + 5.0 * S6],
        [13.0 / 3.0 - 7.0 * S6 / 3.0, -23.0 / 3.0 + 22.0 * S6 / 3.0, 10.0 / 3.0 - 5.0 * S6],
        [1.0 / 3.0, -8.0 / 3.0, 10.0 / 3.0],
    ]
)
