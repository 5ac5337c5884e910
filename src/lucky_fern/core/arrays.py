"""Names for the array types that pass between rooms."""

from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
F32 = npt.NDArray[np.float32]
I64 = npt.NDArray[np.int64]
I32 = npt.NDArray[np.int32]
U16 = npt.NDArray[np.uint16]
U8 = npt.NDArray[np.uint8]
Bool = npt.NDArray[np.bool_]
Array = npt.NDArray[Any]


def unit_rows(vectors: F64) -> F64:
    """Scale vectors along the last axis to length 1; zero vectors stay zero."""
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    result: F64 = np.divide(vectors, length, out=np.zeros_like(vectors), where=length > 0)
    return result
