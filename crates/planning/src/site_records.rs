//! What sites were like, by the trips that were driven: how often they were out of order, how long one waited, by day and hour. And
//! what of a trip's findings its sites' records would take over.

use std::collections::BTreeMap;

use jiff::Timestamp;
use jiff::civil::Weekday;
use spare_hour_core::quantity::{Minutes, Power};
use spare_hour_core::session::Meter;
use spare_hour_core::trip::Site;
use spare_hour_core::trip::road_log::StallState;
use spare_hour_store::Store;

use crate::PlanningError;
use crate::clock::Here;
use crate::ledger::{LedgerTrip, Stand};
use crate::read_charge::ReadCharge;

/// What a site was like.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SiteRecord {
    /// Its name.
    pub name: String,
    /// All that was seen of it.
    pub all: Looks,
    /// The same by day of the week, Monday first, and hour.
    pub hours: Vec<((Weekday, i8), Looks)>,
}

/// What was seen of a site.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Looks {
    /// How many times one came there.
    pub looks: u32,
    /// How many times nothing charged.
    pub out_of_order: u32,
    /// How many times one had to wait,
    pub occupied: u32,
    /// and for how long altogether.
    pub waited: Minutes,
}

impl Looks {
    fn add(&mut self, state: Option<StallState>) {
        self.looks += 1;
        match state {
            Some(StallState::OutOfOrder) => self.out_of_order += 1,
            Some(StallState::Occupied(wait)) => {
                self.occupied += 1;
                self.waited += wait;
            }
            _ => {}
        }
    }

    /// How long one waits there as a rule: the mean of all the times that one came and it worked.
    pub fn usual_wait(&self) -> Option<Minutes> {
        let worked = self.looks - self.out_of_order;
        (worked > 0).then(|| self.waited * (1.0 / f64::from(worked)))
    }
}

/// What sites were like on trips, by name.
pub fn site_records(trips: &[LedgerTrip], here: &Here) -> Vec<SiteRecord> {
    let mut sites: BTreeMap<&str, Vec<(i64, Option<StallState>)>> = BTreeMap::new();
    for trip in trips {
        for stand in &trip.stands {
            sites.entry(&stand.site.1).or_default().push((stand.times.0, stand.found));
        }
        let passed = trip.found.iter().filter(|(found, _)| !trip.stands.iter().any(|stand| stand.site.0 == found.site));
        for (found, name) in passed {
            sites.entry(name).or_default().push((found.at_ms, Some(found.state)));
        }
    }
    let record = |(name, seen): (&str, Vec<(i64, Option<StallState>)>)| {
        let mut record = SiteRecord { name: name.into(), ..SiteRecord::default() };
        let mut hours: BTreeMap<(i8, i8), Looks> = BTreeMap::new();
        for (at_ms, state) in seen {
            record.all.add(state);
            let Ok(at) = Timestamp::from_millisecond(at_ms) else { continue };
            let at = at.to_zoned_datetime(here.zone().clone());
            hours.entry((at.weekday().to_monday_zero_offset(), at.hour())).or_default().add(state);
        }
        let day = |offset: i8| Weekday::from_monday_zero_offset(offset).unwrap_or(Weekday::Monday);
        record.hours = hours.into_iter().map(|((offset, hour), looks)| ((day(offset), hour), looks)).collect();
        record
    };
    sites.into_iter().map(record).collect()
}

/// What the record of a trip's site would become.
#[derive(Clone, Debug, PartialEq)]
pub struct SiteChange {
    /// The site as it is kept.
    pub site: Site,
    /// What changes.
    pub change: Change,
}

/// What changes in a site's record.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Change {
    /// All of its stalls are out of order.
    OutOfOrder,
    /// One waits so long there: the mean of all the times that one came.
    Wait(Minutes),
    /// It gives no more than so much, as was measured there.
    Power(Power),
    /// It gave little, but nothing was measured that tells how much: its power stays.
    NotMeasured,
}

/// What the records of a trip's sites would take over from what was found on it, where that is something new.
///
/// # Errors
/// When the store refuses.
pub fn site_changes(
    store: &Store,
    trip: &LedgerTrip,
    records: &[SiteRecord],
) -> Result<Vec<SiteChange>, PlanningError> {
    let kept = match store.trip(trip.outing.about.trip) {
        Ok(kept) => kept.about.sites,
        Err(spare_hour_store::StoreError::NotFound { .. }) => return Ok(Vec::new()),
        Err(error) => return Err(error.into()),
    };
    let mut changes = Vec::new();
    for (found, name) in &trip.found {
        let Some(site) = kept.iter().find(|site| site.id == found.site) else { continue };
        let usual = || records.iter().find(|record| record.name == *name).and_then(|record| record.all.usual_wait());
        let change = match found.state {
            StallState::OutOfOrder => Change::OutOfOrder,
            StallState::Occupied(wait) => Change::Wait(usual().unwrap_or(wait)),
            StallState::Slow(_) => match most_power(store, trip.stands.iter().find(|one| one.site.0 == found.site))? {
                Some(power) => Change::Power(power),
                None => Change::NotMeasured,
            },
            StallState::Fine => continue,
        };
        let changed = SiteChange { site: site.clone(), change };
        if change == Change::NotMeasured || changed.applied() != *site {
            changes.push(changed);
        }
    }
    Ok(changes)
}

/// The most that a stall gave at the plug in the charge that was measured there.
fn most_power(store: &Store, stand: Option<&Stand>) -> Result<Option<Power>, PlanningError> {
    let Some((session, ..)) = stand.and_then(|stand| stand.session.as_ref()) else { return Ok(None) };
    let charge = ReadCharge::new(store, *session)?;
    let shown = charge.session().counted().filter_map(|(_, reading)| reading.power);
    let most = shown.map(Power::get).fold(0.0, f64::max);
    let loss = charge.basis(None).loss_percent.unwrap_or_default();
    let at_plug = match charge.session().conditions.meter {
        Meter::Station => most,
        Meter::Car => most / (1.0 - loss / 100.0),
    };
    Ok((at_plug > 0.0).then(|| Power::kw(at_plug)))
}

impl SiteChange {
    /// The site with the change.
    pub fn applied(&self) -> Site {
        let mut site = self.site.clone();
        match self.change {
            Change::OutOfOrder => {
                let stalls = *site.details.stalls.get_or_insert(1);
                site.details.out_of_order = Some(stalls);
            }
            Change::Wait(wait) => {
                site.overhead = site.overhead - site.details.wait + wait;
                site.details.wait = wait;
            }
            Change::Power(power) if power < site.max_power => site.max_power = power,
            Change::Power(_) | Change::NotMeasured => {}
        }
        site
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wait_is_the_mean_of_all_the_times_that_it_worked() {
        let mut looks = Looks::default();
        assert_eq!(looks.usual_wait(), None);
        let minutes = |minutes| Some(StallState::Occupied(Minutes::new(minutes)));
        for state in
            [None, minutes(10.0), Some(StallState::OutOfOrder), minutes(5.0), Some(StallState::Slow(Power::kw(40.0)))]
        {
            looks.add(state);
        }
        // By hand: 15 min of wait in the four times that it worked, once of five it did not.
        assert_eq!((looks.looks, looks.out_of_order, looks.occupied), (5, 1, 2));
        assert_eq!(looks.usual_wait(), Some(Minutes::new(3.75)));
    }

    #[test]
    fn what_was_not_measured_changes_nothing() {
        let trip = spare_hour_formats::read_trip(include_bytes!("../../../docs/formats/trip.example.json")).unwrap();
        let site = trip.sites[0].clone();
        let applied = |change| SiteChange { site: site.clone(), change }.applied();
        assert_eq!(applied(Change::NotMeasured), site);
        assert_eq!(applied(Change::Power(site.max_power * 2.0)), site);
        let slow = applied(Change::Power(Power::kw(41.0)));
        assert_eq!((slow.max_power, slow.overhead), (Power::kw(41.0), site.overhead));
        let waits = applied(Change::Wait(Minutes::new(6.0)));
        assert!((waits.overhead - site.overhead + site.details.wait).get() - 6.0 < 1e-9);
        assert_eq!(waits.details.wait, Minutes::new(6.0));
    }
}
