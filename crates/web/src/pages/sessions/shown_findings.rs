//! Which findings a page shows: a file of noise has one for each of 200,000 readings.

use spare_hour_core::session::findings::{Finding, Severity};
use spare_hour_core::session::report::Report;

/// Findings of one severity that are shown at most.
const MOST: usize = 40;

/// The first findings of each severity, in their order, each with its number from 0.
pub(super) fn shown(report: &Report) -> Vec<(usize, &Finding)> {
    let mut counts = [0; 3];
    let shown = |(_, finding): &(usize, &Finding)| {
        let count = &mut counts[match finding.severity() {
            Severity::Note => 0,
            Severity::Warning => 1,
            Severity::Fault => 2,
        }];
        *count += 1;
        *count <= MOST
    };
    report.findings.iter().enumerate().filter(shown).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use spare_hour_core::quantity::Energy;
    use spare_hour_core::session::analysis::Basis;
    use spare_hour_core::session::distance_base::DistanceBase;
    use std::fmt::Write;

    #[test]
    fn what_is_said_of_the_charge_is_not_lost_among_slips() {
        // Every third reading shows a SoC from another time, as a file of noise does; 43 minutes pass before the last.
        let mut text = String::from("# site_kw: 100\nelapsed,soc,power_kw\n");
        for at in 0..600 {
            let soc = 10 + at / 10;
            writeln!(text, "{},{},100", 4 * at, if at % 3 == 1 { (soc + 37) % 100 } else { soc }).unwrap();
        }
        text.push_str("5000,80,100\n");
        let session = spare_hour_formats::read_session(&text).unwrap();
        let basis = Basis { usable: Energy::kwh(70.0), range: None, base: DistanceBase::Rated, loss_percent: None };
        let report = Report::new(&session, basis, None).unwrap();
        let of = |all: &[&Finding], severity| all.iter().filter(|finding| finding.severity() == severity).count();
        let all: Vec<&Finding> = report.findings.iter().collect();
        let some: Vec<&Finding> = shown(&report).into_iter().map(|(_, finding)| finding).collect();
        assert!(of(&all, Severity::Fault) > 100, "{}", of(&all, Severity::Fault));
        assert_eq!(of(&some, Severity::Fault), MOST);
        for severity in [Severity::Note, Severity::Warning] {
            assert_eq!(of(&some, severity), of(&all, severity).min(MOST));
        }
        assert!(shown(&report).windows(2).all(|pair| pair[0].0 < pair[1].0));
    }
}
