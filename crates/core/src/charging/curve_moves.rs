//! A curve whose points a person moved: the power is scaled where points were moved and unchanged from the next five
//! percent on, so that steps stay steps.

use crate::charging::profile::{Profile, ProfileError};
use crate::quantity::{Power, Soc};

/// Distance between points that may be moved, %.
pub const EVERY: f64 = 5.0;

/// The SoC values at which a curve may be moved: 0, 5, … 100 %.
pub fn movable() -> impl Iterator<Item = Soc> {
    (0..=20).map(|index| Soc::percent(EVERY * f64::from(index)))
}

/// A curve with points moved to other powers; between a moved point and one that was not, the change fades out evenly.
///
/// # Errors
/// When a moved power is not a power: negative or not finite.
pub fn with_moved_points(curve: &Profile, moves: &[(Soc, Power)]) -> Result<Profile, ProfileError> {
    let factor_at = |soc: Soc| {
        let moved = moves.iter().find(|point| (point.0.get() - soc.get()).abs() < 1e-9);
        moved.map_or(1.0, |point| point.1.get() / curve.at(soc.get()).max(1e-9))
    };
    let factors: Vec<(f64, f64)> = movable().map(|soc| (soc.get(), factor_at(soc))).collect();
    let factor = Profile::new(factors)?;
    let mut points: Vec<(f64, f64)> = Vec::new();
    for &(soc, kw) in curve.points() {
        // Grid points between two points of the curve become points too; a step keeps both of its ends.
        let before = points.last().copied();
        let grid = movable().map(Soc::get).filter(|&grid| before.is_some_and(|before| grid > before.0 && grid < soc));
        let between: Vec<(f64, f64)> = grid.map(|grid| (grid, curve.at(grid) * factor.at(grid))).collect();
        points.extend(between);
        points.push((soc, kw * factor.at(soc)));
    }
    let outside = movable().map(Soc::get);
    let (first, last) = (curve.points()[0].0, curve.points()[curve.points().len() - 1].0);
    points.extend(outside.filter(|&soc| soc < first || soc > last).map(|soc| (soc, curve.at(soc) * factor.at(soc))));
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    Profile::new(points)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_moved_point_fades_out_and_a_step_stays() {
        let curve = Profile::new(vec![(2.0, 100.0), (50.0, 100.0), (50.0, 60.0), (90.0, 20.0)]).unwrap();
        let moved = with_moved_points(&curve, &[(Soc::percent(30.0), Power::kw(120.0))]).unwrap();
        let at = [0.0, 25.0, 27.5, 30.0, 35.0, 49.99, 50.0, 70.0, 100.0].map(|soc| moved.at(soc).round());
        assert_eq!(at, [100.0, 100.0, 110.0, 120.0, 100.0, 100.0, 60.0, 40.0, 20.0]);
        let ends =
            with_moved_points(&curve, &[(Soc::percent(100.0), Power::kw(5.0)), (Soc::percent(0.0), Power::kw(80.0))])
                .unwrap();
        assert_eq!([0.0, 5.0, 95.0, 100.0].map(|soc| ends.at(soc).round()), [80.0, 100.0, 20.0, 5.0]);
        assert!(with_moved_points(&curve, &[(Soc::percent(30.0), Power::kw(f64::NAN))]).is_err());
        assert_eq!(with_moved_points(&curve, &[]).unwrap().at(70.0), curve.at(70.0));
    }
}
