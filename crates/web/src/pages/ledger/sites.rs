//! What sites were like, and what their records take over, in words.

use jiff::civil::Weekday;
use spare_hour_planning::site_records::{Change, Looks, SiteChange, SiteRecord};
use spare_hour_wording::figures;

/// A site of the ledger.
pub(super) struct SiteRow {
    pub(super) name: String,
    pub(super) looks: u32,
    pub(super) out_of_order: String,
    pub(super) wait: String,
    /// Days and hours at which it was not as it should be.
    pub(super) hours: String,
}

impl SiteRow {
    pub(super) fn new(record: &SiteRecord) -> Self {
        let bad = record.hours.iter().filter(|(_, looks)| looks.out_of_order + looks.occupied > 0);
        let hours: Vec<String> =
            bad.map(|((day, hour), looks)| format!("{} {hour} h: {}", named(*day), told(looks))).collect();
        Self {
            name: record.name.clone(),
            looks: record.all.looks,
            out_of_order: format!("{} of {}", record.all.out_of_order, record.all.looks),
            wait: record.all.usual_wait().map_or_else(|| "–".into(), figures::duration),
            hours: if hours.is_empty() { "–".into() } else { hours.join("; ") },
        }
    }
}

pub(super) fn named(day: Weekday) -> &'static str {
    match day {
        Weekday::Monday => "Mon",
        Weekday::Tuesday => "Tue",
        Weekday::Wednesday => "Wed",
        Weekday::Thursday => "Thu",
        Weekday::Friday => "Fri",
        Weekday::Saturday => "Sat",
        Weekday::Sunday => "Sun",
    }
}

/// What was seen at one hour: `out of order 1 of 2, wait 5 min`.
fn told(looks: &Looks) -> String {
    let broken = (looks.out_of_order > 0).then(|| format!("out of order {} of {}", looks.out_of_order, looks.looks));
    let wait = looks.usual_wait().filter(|_| looks.occupied > 0);
    let wait = wait.map(|wait| format!("wait {}", figures::duration(wait)));
    broken.into_iter().chain(wait).collect::<Vec<_>>().join(", ")
}

/// What the record of a site becomes.
pub(super) fn change(change: &SiteChange) -> String {
    let site = &change.site;
    let name = &site.name;
    match change.change {
        Change::OutOfOrder => format!("{name}: its stalls are out of order"),
        Change::Wait(wait) => format!(
            "{name}: its expected wait, {}, becomes {}, the mean of all your stops there",
            figures::duration(site.details.wait),
            figures::duration(wait)
        ),
        Change::Power(power) => format!(
            "{name}: its power, {:.0} kW, becomes {:.0} kW, the most that was measured there",
            site.max_power.get(),
            power.get()
        ),
        Change::NotMeasured => format!(
            "{name} was slow; no charge was measured there, so its {:.0} kW stay until one is",
            site.max_power.get()
        ),
    }
}
