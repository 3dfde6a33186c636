"""Small steps that several fast loops share, written plainly: Numba's own array forms of them compile for seconds."""

from lather.core.loops import loop


@loop()
def solve_three(matrix, right):  # pragma: no cover - compiled
    """Solve three equations in place: `right` (3, n) becomes the solution of matrix (3, 3) · x = right.

    Gauss's elimination with the largest pivot of each column; a matrix without an inverse gives inf or nan.
    """
    for column in range(3):
        pivot = column
        for row in range(column + 1, 3):
            if abs(matrix[row, column]) > abs(matrix[pivot, column]):
                pivot = row
        if pivot != column:
            for k in range(3):
                matrix[column, k], matrix[pivot, k] = matrix[pivot, k], matrix[column, k]
            for k in range(right.shape[1]):
                right[column, k], right[pivot, k] = right[pivot, k], right[column, k]
        for row in range(column + 1, 3):
            share = matrix[row, column] / matrix[column, column]
            for k in range(column, 3):
                matrix[row, k] -= share * matrix[column, k]
            for k in range(right.shape[1]):
                right[row, k] -= share * right[column, k]
    for column in range(2, -1, -1):
        for k in range(right.shape[1]):
            total = right[column, k]
            for other in range(column + 1, 3):
                total -= matrix[column, other] * right[other, k]
            right[column, k] = total / matrix[column, column]


@loop()
def kth_smallest(values, count, k):  # pragma: no cover - compiled
    """The k-th smallest (from 0) of the first `count` values, which are put in another order (Hoare 1961)."""
    low, high = 0, count - 1
    while low < high:
        pivot = values[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while values[i] < pivot:
                i += 1
            while pivot < values[j]:
                j -= 1
            if i <= j:
                values[i], values[j] = values[j], values[i]
                i += 1
                j -= 1
        if k <= j:
            high = j
        elif k >= i:
            low = i
        else:
            break
    return values[k]


@loop()
def median_of(values):  # pragma: no cover - compiled
    """The median of values (n,), n > 0, which are put in another order."""
    count = values.shape[0]
    upper = kth_smallest(values, count, count // 2)
    if count % 2:
        return upper
    return 0.5 * (kth_smallest(values, count, count // 2 - 1) + upper)
