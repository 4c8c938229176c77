//! A car's charges combined: the curves that its sessions amount to, and why some sessions count for nothing.

use spare_hour_core::charging::curve_family::{FamilyCurve, Member, curve_family, other_capacity};
use spare_hour_core::quantity::Energy;
use spare_hour_core::session::findings::across::{Agreed, agreed};
use spare_hour_core::session::report::Report;
use spare_hour_core::session::soc_timeline::TooFewReadings;
use spare_hour_store::{Car, Store};

use crate::PlanningError;
use crate::read_charge::{ReadCharge, Reports};

/// What a car's sessions amount to.
#[derive(Debug)]
pub struct Combined {
    /// A curve for each kind of start.
    pub family: Vec<FamilyCurve>,
    /// Names of the sessions that count for nothing, and why.
    pub unread: Vec<(String, TooFewReadings)>,
    /// Names of the sessions of another capacity, which is given: they count for nothing here.
    pub other_capacity: Vec<(String, Energy)>,
    /// Steps and dips that are the car's, or a boost's, because several charges agree.
    pub agreed: Vec<Agreed>,
}

/// Combines the sessions of a car.
///
/// # Errors
/// When the store refuses.
pub fn combine(store: &Store, car: &Car, reports: &Reports) -> Result<Combined, PlanningError> {
    let (mut read, mut unread) = (Vec::new(), Vec::new());
    for line in store.sessions()?.into_iter().rev().filter(|line| line.car == Some(car.id)) {
        let charge = ReadCharge::new(store, line.id)?;
        match charge.report(reports, None) {
            Ok(report) => read.push((charge, report)),
            Err(error) => unread.push((line.name, error)),
        }
    }
    let members: Vec<Member> = read.iter().map(|(charge, report)| member(charge, report)).collect();
    let usable = car.about.usable;
    let other = |member: &Member| Some((member.name.to_string(), other_capacity(member.session, usable)?));
    Ok(Combined {
        family: curve_family(&members, usable),
        unread,
        other_capacity: members.iter().filter_map(other).collect(),
        agreed: agreed(&members),
    })
}

/// What several charges of a charge's car agree on, that charge among them; nothing where its car is not known.
///
/// # Errors
/// When the store refuses.
pub fn agreed_with(store: &Store, charge: &ReadCharge, reports: &Reports) -> Result<Vec<Agreed>, PlanningError> {
    let Some(car) = charge.stored.about.car else { return Ok(Vec::new()) };
    let mut read = Vec::new();
    for line in store.sessions()?.into_iter().rev().filter(|line| line.car == Some(car)) {
        // It is held already, and may be long.
        let other = if line.id == charge.stored.id { None } else { Some(ReadCharge::new(store, line.id)?) };
        if let Ok(report) = other.as_ref().unwrap_or(charge).report(reports, None) {
            read.push((other, report));
        }
    }
    let members: Vec<Member> =
        read.iter().map(|(other, report)| member(other.as_ref().unwrap_or(charge), report)).collect();
    let name = &charge.stored.about.name;
    Ok(agreed(&members).into_iter().filter(|one| one.charges().contains(name)).collect())
}

fn member<'a>(charge: &'a ReadCharge, report: &'a Report) -> Member<'a> {
    Member { name: &charge.stored.about.name, session: charge.session(), report }
}
