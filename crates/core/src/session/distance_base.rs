//! What a percent of charge is worth in distance: three bases, and which one a figure rests on.
//!
//! The rated range is the maker's, a constant-speed test is somebody's run from full to empty at one speed, the own
//! consumption is the driver's: range = 100 · E / e, E in kWh, e in kWh/100 km. The rated one flatters (common practice,
//! no published source), so every figure names its base.

use crate::quantity::{Consumption, Distance, Energy, Speed};

/// A kind of range.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum DistanceBase {
    /// The maker's rated range.
    #[default]
    Rated,
    /// A run at a constant speed.
    ConstantSpeed,
    /// The driver's own consumption.
    Own,
}

impl DistanceBase {
    /// All of them, the surest for one's own trips last.
    pub const ALL: [Self; 3] = [Self::Rated, Self::ConstantSpeed, Self::Own];
}

/// What is known of how far a car goes.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Distances {
    /// The maker's range.
    pub rated: Option<Distance>,
    /// The range at a constant speed.
    pub constant_speed: Option<(Distance, Speed)>,
    /// The driver's own consumption at the battery.
    pub own: Option<Consumption>,
}

impl Distances {
    /// The range from full to empty on a base, where it is known.
    pub fn range(&self, base: DistanceBase, usable: Energy) -> Option<Distance> {
        match base {
            DistanceBase::Rated => self.rated,
            DistanceBase::ConstantSpeed => self.constant_speed.map(|test| test.0),
            DistanceBase::Own => {
                self.own.filter(|own| own.get() > 0.0).map(|own| Distance::km(100.0 * usable.get() / own.get()))
            }
        }
    }

    /// The wished base where it is known, else the first that is, with its range.
    pub fn or_first_known(&self, wish: DistanceBase, usable: Energy) -> (DistanceBase, Option<Distance>) {
        let known = |base: DistanceBase| self.range(base, usable).map(|range| (base, Some(range)));
        std::iter::once(wish).chain(DistanceBase::ALL).find_map(known).unwrap_or((wish, None))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn range_from_own_consumption() {
        // Arithmetic: 55 kWh at 141 Wh/km are 390 km, where a car may show 425.
        let own = Distances { own: Some(Consumption::kwh_per_100km(14.1)), ..Distances::default() };
        let range = own.range(DistanceBase::Own, Energy::kwh(55.0)).unwrap();
        assert!((range.get() - 390.07).abs() < 0.01, "{range}");
        assert_eq!(own.or_first_known(DistanceBase::Rated, Energy::kwh(55.0)), (DistanceBase::Own, Some(range)));
        assert_eq!(
            Distances::default().or_first_known(DistanceBase::Own, Energy::kwh(55.0)),
            (DistanceBase::Own, None)
        );
    }
}
