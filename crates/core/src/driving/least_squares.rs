//! Least squares with terms that may not be negative, for a handful of terms.
//!
//! Every choice of terms that are free is solved by its normal equations; of those whose terms all come out at 0 or more,
//! the one with the least squares is the answer. With up to [`MOST_TERMS`] terms that is exact and quick.

use nalgebra::{DMatrix, DVector};

/// Most terms.
pub const MOST_TERMS: usize = 8;

/// The answer.
#[derive(Clone, Debug, PartialEq)]
pub struct NonNegative {
    /// The terms.
    pub terms: Vec<f64>,
    /// Inverse of the normal matrix over the free terms; 0 for the others.
    pub inverse: DMatrix<f64>,
    /// Sum of squares left over.
    pub squares: f64,
}

/// Terms b ≥ 0 with the least |X·b − y|². Rows of X are weighted beforehand. `None` without rows, with more than
/// [`MOST_TERMS`] columns, or when no choice can be solved.
pub fn non_negative(x: &DMatrix<f64>, y: &DVector<f64>) -> Option<NonNegative> {
    let columns = x.ncols();
    if x.nrows() == 0 || columns == 0 || columns > MOST_TERMS {
        return None;
    }
    let (normal, right) = (x.transpose() * x, x.transpose() * y);
    let all = (1..1_usize << columns).filter_map(|free| solve(&normal, &right, free, x, y));
    let none =
        NonNegative { terms: vec![0.0; columns], inverse: DMatrix::zeros(columns, columns), squares: y.norm_squared() };
    Some(all.fold(none, |best, next| if next.squares < best.squares { next } else { best }))
}

/// The solution with the terms of a bit mask free, where it has none below 0.
fn solve(
    normal: &DMatrix<f64>,
    right: &DVector<f64>,
    free: usize,
    x: &DMatrix<f64>,
    y: &DVector<f64>,
) -> Option<NonNegative> {
    let chosen: Vec<usize> = (0..normal.ncols()).filter(|column| free >> column & 1 == 1).collect();
    let part = DMatrix::from_fn(chosen.len(), chosen.len(), |i, j| normal[(chosen[i], chosen[j])]);
    let part_right = DVector::from_fn(chosen.len(), |i, _| right[chosen[i]]);
    let inverse = part.cholesky()?.inverse();
    let solution = &inverse * part_right;
    if solution.iter().any(|&term| term < 0.0) {
        return None;
    }
    let mut terms = vec![0.0; normal.ncols()];
    let mut whole = DMatrix::zeros(normal.ncols(), normal.ncols());
    for (i, &row) in chosen.iter().enumerate() {
        terms[row] = solution[i];
        for (j, &column) in chosen.iter().enumerate() {
            whole[(row, column)] = inverse[(i, j)];
        }
    }
    let squares = (x * DVector::from_vec(terms.clone()) - y).norm_squared();
    Some(NonNegative { terms, inverse: whole, squares })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_term_that_would_be_negative_is_nought() {
        // By hand: y = −x₂ exactly; without x₂ the best b₁ of [1,1,1]·b₁ to [−1,−2,−3] is below 0, so both are 0.
        let x = DMatrix::from_row_slice(3, 2, &[1.0, 1.0, 1.0, 2.0, 1.0, 3.0]);
        let none = non_negative(&x, &DVector::from_vec(vec![-1.0, -2.0, -3.0])).unwrap();
        assert_eq!(none.terms, [0.0, 0.0]);
        // y = 3 − x₂: b₂ may not fall, so b₁ is the mean.
        let one = non_negative(&x, &DVector::from_vec(vec![2.0, 1.0, 0.0])).unwrap();
        assert!((one.terms[0] - 1.0).abs() < 1e-12 && one.terms[1] == 0.0);
        let both = non_negative(&x, &DVector::from_vec(vec![3.0, 5.0, 7.0])).unwrap();
        assert!((both.terms[0] - 1.0).abs() < 1e-9 && (both.terms[1] - 2.0).abs() < 1e-9 && both.squares < 1e-18);
        assert!(non_negative(&DMatrix::zeros(0, 2), &DVector::zeros(0)).is_none());
    }
}
