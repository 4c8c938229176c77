//! Why a draft cannot become what it should.

use spare_hour_core::refused::{Fault, Refused};

/// What is wrong with a field and what is expected, without the field's name.
pub fn fault(fault: &Fault) -> String {
    match fault {
        Fault::Outside { value, low, high, unit } => {
            format!("is {value}; expected {low} to {high} {unit}").trim_end().into()
        }
        Fault::Count { found, least: 0, most, what } => format!("has {found} {what}; expected at most {most}"),
        Fault::Count { found, least, most, what } => format!("has {found} {what}; expected {least} to {most}"),
        Fault::Empty { expected } => format!("is empty; expected {expected}"),
        Fault::Taken { value, by } => format!("is \"{value}\" like {by}; expected a different one for each"),
        Fault::NotBelow { value, other, bound } => format!("is {value}; expected less than {other}, {bound}"),
        Fault::NoPower { value } => format!("is {value}; expected more than 0 kW (0 is possible at 100 % only)"),
        Fault::Unreadable { value, expected } => format!("is \"{value}\"; expected {expected}"),
    }
}

/// The field, what is wrong with it and what is expected.
pub fn sentence(refused: &Refused) -> String {
    format!("{}: {}", refused.field, fault(&refused.fault))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn value_and_bound_are_told() {
        let outside = |unit| Fault::Outside { value: -4.0, low: 0.1, high: 10_000.0, unit };
        assert_eq!(
            sentence(&Refused::new("sites[0].max_kw", outside("kW"))),
            "sites[0].max_kw: is -4; expected 0.1 to 10000 kW"
        );
        assert_eq!(fault(&outside("")), "is -4; expected 0.1 to 10000");
        let count = |least| Fault::Count { found: 1001, least, most: 1000, what: "sites" };
        assert_eq!(fault(&count(0)), "has 1001 sites; expected at most 1000");
        assert_eq!(fault(&count(1)), "has 1001 sites; expected 1 to 1000");
    }
}
