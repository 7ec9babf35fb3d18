"""The numbers that kernels take beside pictures: named tuples, so that no kernel reads ``p[17]``.

All fields of one are of one type (numbers float32, switches whole numbers): only such tuples may go into parallel loops.
"""

from typing import Any, TypeVar

import numpy as np

N = TypeVar("N", bound=tuple[Any, ...])


def float32_numbers(kind: type[N], *parts: Any) -> N:
    """A named tuple of float32 from numbers and arrays in the order of its fields (arrays row by row); raises ``TypeError`` when
    they are too many or too few."""
    return kind(*np.concatenate([np.ravel(np.asarray(part, np.float64)) for part in parts]).astype(np.float32))
