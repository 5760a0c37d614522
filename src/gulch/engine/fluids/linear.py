"""Small sets of linear equations.

Matrices of shape (n, n), right sides of shape (n,); the answer takes the right side's place unless said otherwise.
"""

from __future__ import annotations

from gulch.engine.compiling import Matrix, Places, Vector, chapter
from gulch.engine.compiling import ieee as math

kernel = chapter(__name__)


@kernel
def solve_symmetric(H: Matrix, g: Vector, n: int) -> bool:
    """Solve H s = -g by Cholesky in place; returns False when H is not positive definite."""
    for j in range(n):
        for k in range(j):
            H[j, j] -= H[j, k] * H[j, k]
        if H[j, j] <= 1e-14:
            return False
        H[j, j] = math.sqrt(H[j, j])
        for i in range(j + 1, n):
            for k in range(j):
                H[i, j] -= H[i, k] * H[j, k]
            H[i, j] /= H[j, j]
    for i in range(n):
        value = -g[i]
        for k in range(i):
            value -= H[i, k] * g[k]
        g[i] = value / H[i, i]
    for i in range(n - 1, -1, -1):
        value = g[i]
        for k in range(i + 1, n):
            value -= H[k, i] * g[k]
        g[i] = value / H[i, i]
    return True


@kernel
def eliminate(M: Matrix, right: Vector) -> Vector:
    """Solve M x = right by Gauss elimination with row exchange; a vanishing pivot gives a zero. Both are changed."""
    n = right.size
    for c in range(n):
        at = c
        for r in range(c + 1, n):
            if abs(M[r, c]) > abs(M[at, c]):
                at = r
        if at != c:
            for k in range(n):
                M[c, k], M[at, k] = M[at, k], M[c, k]
            right[c], right[at] = right[at], right[c]
        if abs(M[c, c]) < 1e-14:
            M[c, c] = 1e300
        for r in range(c + 1, n):
            factor = M[r, c] / M[c, c]
            if factor != 0.0:
                for k in range(c, n):
                    M[r, k] -= factor * M[c, k]
                right[r] -= factor * right[c]
    for c in range(n - 1, -1, -1):
        for k in range(c + 1, n):
            right[c] -= M[c, k] * right[k]
        right[c] /= M[c, c]
    return right


@kernel
def factor(M: Matrix, order: Places) -> bool:
    """Factors L and U of M in its place, rows exchanged as `order` tells; returns False where a pivot vanishes."""
    n = order.size
    for c in range(n):
        at = c
        for r in range(c + 1, n):
            if abs(M[r, c]) > abs(M[at, c]):
                at = r
        order[c] = at
        if at != c:
            for k in range(n):
                M[c, k], M[at, k] = M[at, k], M[c, k]
        if not abs(M[c, c]) > 1e-290:
            return False
        for r in range(c + 1, n):
            M[r, c] /= M[c, c]
            if M[r, c] != 0.0:
                for k in range(c + 1, n):
                    M[r, k] -= M[r, c] * M[c, k]
    return True


@kernel
def substitute(M: Matrix, order: Places, right: Vector) -> None:
    """Solve with the factors that `factor` left."""
    n = order.size
    for c in range(n):
        at = order[c]
        if at != c:
            right[c], right[at] = right[at], right[c]
    for r in range(1, n):
        for k in range(r):
            right[r] -= M[r, k] * right[k]
    for r in range(n - 1, -1, -1):
        for k in range(r + 1, n):
            right[r] -= M[r, k] * right[k]
        right[r] /= M[r, r]
