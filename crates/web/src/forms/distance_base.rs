//! Bases of distances: how addresses and forms name them, and what they are called.

use spare_hour_core::quantity::units::Units;
use spare_hour_core::session::distance_base::DistanceBase;
use spare_hour_planning::read_charge::ReadCharge;
use spare_hour_wording::figures;

/// A base as addresses and forms name it.
pub(crate) fn base_word(base: DistanceBase) -> &'static str {
    match base {
        DistanceBase::Rated => "rated",
        DistanceBase::ConstantSpeed => "constant-speed",
        DistanceBase::Own => "own",
    }
}

/// The base that a word names.
pub(crate) fn parse_base(word: Option<&str>) -> Option<DistanceBase> {
    DistanceBase::ALL.into_iter().find(|base| word == Some(base_word(*base)))
}

/// A base of a charge in words.
pub(crate) fn base_name(charge: &ReadCharge, base: DistanceBase, units: Units) -> String {
    let distances = charge.distances();
    match base {
        DistanceBase::Rated => "rated range".into(),
        DistanceBase::ConstantSpeed => match distances.constant_speed {
            Some((_, speed)) => format!("at {}", figures::speed(units, speed)),
            None => "at a constant speed".into(),
        },
        DistanceBase::Own => match distances.own {
            Some(own) => format!("own {}", figures::consumption(units, own)),
            None => "own consumption".into(),
        },
    }
}

/// The bases of a charge that are known: word for addresses, name, whether it is the one in use.
pub(crate) fn bases(charge: &ReadCharge, used: DistanceBase, units: Units) -> Vec<(&'static str, String, bool)> {
    let known = |base: &DistanceBase| charge.distances().range(*base, charge.usable()).is_some();
    let named = |base| (base_word(base), base_name(charge, base, units), base == used);
    DistanceBase::ALL.into_iter().filter(known).map(named).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_name_bases_and_nothing_else() {
        assert!(DistanceBase::ALL.into_iter().all(|base| parse_base(Some(base_word(base))) == Some(base)));
        assert_eq!([parse_base(Some("crow")), parse_base(None)], [None, None]);
    }
}
