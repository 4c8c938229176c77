#!/usr/bin/env python3
"""Makes least_squares.json: python3 make_least_squares.py (needs SciPy; its version is written into the file).

Random problems of the size that drives make: SciPy's nnls for terms that may not be negative, and lstsq where all of
them come out positive, with the standard errors of ordinary least squares.
"""
import json
import pathlib

import numpy
import scipy
from scipy.optimize import nnls

rng = numpy.random.default_rng(1809)


def problem(rows, columns, negative):
    x = rng.uniform(0, 2, (rows, columns))
    truth = rng.uniform(0.2, 2, columns)
    if negative:
        truth[rng.integers(columns)] = -1.5
    y = x @ truth + rng.normal(0, 0.15, rows)
    terms, norm = nnls(x, y)
    return {"x": x.tolist(), "y": y.tolist(), "terms": terms.tolist(), "squares": norm**2}


def ordinary(rows, columns):
    x = rng.uniform(0, 2, (rows, columns))
    y = x @ rng.uniform(1, 2, columns) + rng.normal(0, 0.1, rows)
    terms, squares, *_ = numpy.linalg.lstsq(x, y, rcond=None)
    inverse = numpy.linalg.inv(x.T @ x)
    return {"x": x.tolist(), "y": y.tolist(), "terms": terms.tolist(), "squares": float(squares[0]), "inverse": inverse.tolist()}


out = {
    "scipy": scipy.__version__,
    "numpy": numpy.__version__,
    "nnls": [problem(rows, columns, negative) for rows, columns in [(6, 3), (12, 4), (40, 4), (9, 6)] for negative in (False, True)],
    "lstsq": [ordinary(rows, 4) for rows in (8, 30)],
}
(pathlib.Path(__file__).parent / "least_squares.json").write_text(json.dumps(out) + "\n")
