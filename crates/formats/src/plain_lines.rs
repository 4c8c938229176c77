//! A road and its chargers in the words that somebody types who has no list: `780 km, 120`, `every 60 km, 150 kW`.
//!
//! Numbers carry their unit or stand in the order in which people say them: distance, then speed; place, then power. What else is
//! said is a name. Distances and speeds without a unit are in the person's own.

use spare_hour_core::quantity::units::{DistanceUnit, Units};
use spare_hour_core::quantity::{Distance, Minutes, Power, Speed};
use spare_hour_core::trip::site_details::SiteDetails;
use spare_hour_core::trip::{Price, Site};

/// Speed of a road of which none is said.
const USUAL_SPEED: Speed = Speed::kmh(110.0);
/// Power of a charger of which none is said, and its fixed minutes.
const USUAL_POWER: Power = Power::kw(150.0);
const USUAL_OVERHEAD: Minutes = Minutes::new(5.0);
/// Most chargers of one text.
const MOST: usize = 500;
/// What is noted of a charger that nobody knows.
pub const PLACEHOLDER: &str = "a placeholder: no such place is known";

/// A road as it was typed.
#[derive(Clone, Debug, PartialEq)]
pub struct PlainRoad {
    /// What it was called, as in `Arlen to Torvik 780 km`; empty where it was not.
    pub name: String,
    /// Its parts in driving order.
    pub parts: Vec<(Distance, Speed)>,
}

impl PlainRoad {
    /// The whole length.
    pub fn length(&self) -> Distance {
        Distance::km(self.parts.iter().map(|part| part.0.get()).sum())
    }
}

/// A number with what stands right after it.
#[derive(Debug)]
struct Said {
    value: f64,
    unit: Unit,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Unit {
    None,
    Km,
    Miles,
    Kmh,
    Mph,
    Kw,
}

/// A line's numbers, and the words that are no units.
fn said(line: &str) -> (Vec<Said>, String) {
    let (mut numbers, mut words): (Vec<Said>, Vec<String>) = (Vec::new(), Vec::new());
    let apart = apart(line);
    let mut tokens = apart.split_whitespace().peekable();
    while let Some(token) = tokens.next() {
        let Some(value) = number(token) else {
            words.push(token.trim_matches([',', ':', ';']).to_string());
            continue;
        };
        let unit = tokens.peek().map_or(Unit::None, |next| unit(next));
        if unit != Unit::None {
            tokens.next();
        }
        numbers.push(Said { value, unit });
    }
    let filler = ["at", "with", "then", "and", ""];
    words.retain(|word| !filler.contains(&word.to_lowercase().as_str()));
    (numbers, words.join(" "))
}

/// The line with a blank between a number and its unit: `150kW` as `150 kW`. A word with a number in it is a word: `A4`.
fn apart(line: &str) -> String {
    let word = |word: &str| {
        let end = word.find(|c: char| !(c.is_ascii_digit() || ".,".contains(c))).unwrap_or(word.len());
        if end == 0 { word.to_string() } else { format!("{} {}", &word[..end], &word[end..]) }
    };
    line.split_whitespace().map(word).collect::<Vec<_>>().join(" ")
}

fn number(token: &str) -> Option<f64> {
    let token = token.trim_end_matches([',', ';', ':']);
    let plain = token.starts_with(|c: char| c.is_ascii_digit())
        && token.chars().all(|c| c.is_ascii_digit() || ".,".contains(c));
    plain.then(|| token.replace(',', ".").parse().ok()).flatten()
}

fn unit(token: &str) -> Unit {
    match token.trim_end_matches([',', ';', ':', '.']).to_lowercase().as_str() {
        "km" => Unit::Km,
        "mi" | "mile" | "miles" => Unit::Miles,
        "km/h" | "kmh" | "kph" => Unit::Kmh,
        "mph" => Unit::Mph,
        "kw" => Unit::Kw,
        _ => Unit::None,
    }
}

/// Reads a road: lines or parts between semicolons, each a distance and a speed.
///
/// # Errors
/// What cannot be read, and what is expected.
pub fn read_plain_road(text: &str, units: Units) -> Result<PlainRoad, String> {
    let mut road = PlainRoad { name: String::new(), parts: Vec::new() };
    for part in text.split(['\n', ';']).map(str::trim).filter(|part| !part.is_empty()) {
        let (numbers, words) = said(part);
        if road.name.is_empty() {
            road.name = words.chars().take(80).collect();
        }
        road.parts.push(stretch(part, numbers, units)?);
    }
    if road.parts.is_empty() {
        return Err(format!("No road is said; expected such as {}", road_example(units)));
    }
    if !(1.0..=20_000.0).contains(&road.length().get()) {
        return Err(format!("The road is {:.0} km long; expected 1 to 20000 km", road.length().get()));
    }
    Ok(road)
}

fn stretch(part: &str, numbers: Vec<Said>, units: Units) -> Result<(Distance, Speed), String> {
    let (mut length, mut speed) = (None, None);
    let wrong = |what: &str| format!("“{part}”: {what}; expected such as {}", road_example(units));
    for Said { value, unit } in numbers {
        match unit {
            Unit::Km if length.is_none() => length = Some(Distance::km(value)),
            Unit::Miles if length.is_none() => length = Some(DistanceUnit::Miles.distance(value)),
            Unit::Kmh if speed.is_none() => speed = Some(Speed::kmh(value)),
            Unit::Mph if speed.is_none() => speed = Some(DistanceUnit::Miles.speed(value)),
            Unit::None if length.is_none() => length = Some(units.distance.distance(value)),
            Unit::None if speed.is_none() => speed = Some(units.distance.speed(value)),
            _ => return Err(wrong("there is a number too many")),
        }
    }
    let length = length.filter(|length| length.get() > 0.0).ok_or_else(|| wrong("no distance is said"))?;
    let speed = speed.unwrap_or(USUAL_SPEED);
    if !(10.0..=250.0).contains(&speed.get()) {
        return Err(wrong(&format!("{:.0} km/h is no speed of 10 to 250 km/h", speed.get())));
    }
    Ok((length, speed))
}

/// A road as it may be typed.
pub fn road_example(units: Units) -> &'static str {
    match units.distance {
        DistanceUnit::Kilometres => "780 km, 120",
        DistanceUnit::Miles => "480 mi, 70",
    }
}

/// Chargers as they may be typed.
pub fn chargers_example(units: Units) -> &'static str {
    match units.distance {
        DistanceUnit::Kilometres => "every 60 km, 150 kW",
        DistanceUnit::Miles => "every 40 mi, 150 kW",
    }
}

/// Reads chargers along a road of a length: lines or parts between semicolons, each a place and a power, or `every 60 km, 150 kW`,
/// which makes placeholders.
///
/// # Errors
/// What cannot be read, line by line, and what is expected.
pub fn read_plain_chargers(text: &str, units: Units, length: Distance) -> Result<Vec<Site>, Vec<String>> {
    let (mut sites, mut faults): (Vec<Site>, Vec<String>) = (Vec::new(), Vec::new());
    for line in text.split(['\n', ';']).map(str::trim).filter(|line| !line.is_empty()) {
        match chargers(line, units, length) {
            Ok(more) => sites.extend(more),
            Err(fault) => faults.push(fault),
        }
    }
    if sites.len() > MOST {
        faults.push(format!("There are {} chargers; expected at most {MOST}", sites.len()));
    }
    for (index, site) in sites.iter_mut().enumerate() {
        site.id = format!("s{}", index + 1);
    }
    if faults.is_empty() { Ok(sites) } else { Err(faults) }
}

fn chargers(line: &str, units: Units, length: Distance) -> Result<Vec<Site>, String> {
    let wrong = |what: String| {
        format!("“{line}”: {what}; expected such as {} or 120 km, 150 kW, a name", chargers_example(units))
    };
    let (numbers, words) = said(line);
    let (mut at, mut power) = (None, None);
    for Said { value, unit } in numbers {
        match unit {
            Unit::Km if at.is_none() => at = Some(Distance::km(value)),
            Unit::Miles if at.is_none() => at = Some(DistanceUnit::Miles.distance(value)),
            Unit::None if at.is_none() => at = Some(units.distance.distance(value)),
            Unit::Kw | Unit::None if power.is_none() => power = Some(Power::kw(value)),
            _ => return Err(wrong("there is a number too many".into())),
        }
    }
    let at = at.ok_or_else(|| wrong("no distance is said".into()))?;
    let power = power.unwrap_or(USUAL_POWER);
    if !(1.0..=1_500.0).contains(&power.get()) {
        return Err(wrong(format!("{} kW is no power of 1 to 1500 kW", power.get())));
    }
    let every = words.split_whitespace().next().is_some_and(|word| word.eq_ignore_ascii_case("every"));
    if every {
        if at.get() < 5.0 {
            return Err(wrong(format!("every {:.1} km is closer than 5 km", at.get())));
        }
        let count = (((length.get() - 0.5) / at.get()).floor().max(0.0) as usize).min(MOST + 1);
        return Ok((1..=count).map(|place| placeholder(at * place as f64, power, units)).collect());
    }
    if at.get() > length.get() {
        return Err(wrong(format!("it lies beyond the road’s {:.0} km", length.get())));
    }
    let name = if words.is_empty() { named_by_place(at, units) } else { words.chars().take(80).collect() };
    Ok(vec![charger(name, at, power)])
}

fn named_by_place(at: Distance, units: Units) -> String {
    format!("{} {:.0}", units.distance.name(), units.distance.of(at))
}

fn placeholder(at: Distance, power: Power, units: Units) -> Site {
    let site = charger(format!("Placeholder, {}", named_by_place(at, units)), at, power);
    Site { details: SiteDetails { note: Some(PLACEHOLDER.into()), ..SiteDetails::default() }, ..site }
}

fn charger(name: String, at: Distance, max_power: Power) -> Site {
    Site {
        id: String::new(),
        name,
        at,
        off_route: Distance::km(0.0),
        off_route_speed: Speed::kmh(50.0),
        max_power,
        max_current: None,
        overhead: USUAL_OVERHEAD,
        price: Price::default(),
        details: SiteDetails::default(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn metric() -> Units {
        Units::default()
    }

    fn american() -> Units {
        Units { distance: DistanceUnit::Miles, ..Units::default() }
    }

    fn road(text: &str, units: Units) -> (String, Vec<(f64, f64)>) {
        let road = read_plain_road(text, units).unwrap();
        (road.name, road.parts.iter().map(|(length, speed)| (length.get(), speed.get())).collect())
    }

    #[test]
    fn a_road_is_read_in_many_spellings() {
        let same = (String::new(), vec![(780.0, 120.0)]);
        for text in [
            "780 km, 120",
            "780km 120km/h",
            "780, 120",
            "780 120 kmh",
            "780 km at 120 km/h",
            "120 km/h, 780 km",
            "780 km, 120;",
            "  780 KM, 120 ",
        ] {
            assert_eq!(road(text, metric()), same, "{text}");
        }
        assert_eq!(road("62,5 km, 90", metric()).1, [(62.5, 90.0)]);
        assert_eq!(road("Arlen to Torvik 780 km, 120", metric()), ("Arlen to Torvik".into(), same.1));
        assert_eq!(road("over the A4: 300 km, 120; 80 km", metric()).1, [(300.0, 120.0), (80.0, 110.0)]);
        // By the mile of 1.609344 km (NIST Handbook 44, appendix C).
        let (length, speed) = road("480 mi, 70", american()).1[0];
        assert!((length - 772.485_12).abs() < 1e-9 && (speed - 112.654_08).abs() < 1e-9);
        assert_eq!(road("480, 70 mph", american()).1, [(length, speed)]);
        assert_eq!(road("100 km, 100 km/h", american()).1, [(100.0, 100.0)]);
    }

    #[test]
    fn what_is_no_road_says_what_is_expected() {
        for (text, part) in [
            ("", "No road is said; expected such as 780 km, 120"),
            ("far away", "“far away”: no distance is said"),
            ("780 km, 120, 3", "a number too many"),
            ("780 km, 900", "900 km/h is no speed of 10 to 250 km/h"),
            ("90000 km, 120", "90000 km long; expected 1 to 20000 km"),
            ("0 km, 120", "no distance is said"),
        ] {
            let fault = read_plain_road(text, metric()).unwrap_err();
            assert!(fault.contains(part), "{text}: {fault}");
        }
    }

    #[test]
    fn chargers_are_typed_or_stand_at_equal_distances() {
        let sites = read_plain_chargers("every 60 km, 150 kW", metric(), Distance::km(300.0)).unwrap();
        // By hand: at 60, 120, 180 and 240 km; the one at 300 is the destination itself.
        let at: Vec<f64> = sites.iter().map(|site| site.at.get()).collect();
        assert_eq!(at, [60.0, 120.0, 180.0, 240.0]);
        assert!(
            sites.iter().all(|site| site.max_power.get() == 150.0 && site.details.note.as_deref() == Some(PLACEHOLDER))
        );
        let typed = "120 km, 150 kW, Sallow Bridge\n200 50\nMire End 260km 300kW; 290";
        let sites = read_plain_chargers(typed, metric(), Distance::km(300.0)).unwrap();
        let read: Vec<(&str, &str, f64, f64)> = sites
            .iter()
            .map(|site| (site.id.as_str(), site.name.as_str(), site.at.get(), site.max_power.get()))
            .collect();
        assert_eq!(
            read,
            [
                ("s1", "Sallow Bridge", 120.0, 150.0),
                ("s2", "km 200", 200.0, 50.0),
                ("s3", "Mire End", 260.0, 300.0),
                ("s4", "km 290", 290.0, 150.0)
            ]
        );
        assert!(read_plain_chargers("", metric(), Distance::km(300.0)).unwrap().is_empty());
        let miles = read_plain_chargers("every 40 mi, 350", american(), Distance::km(200.0)).unwrap();
        assert_eq!((miles.len(), miles[1].name.as_str(), miles[1].max_power.get()), (3, "Placeholder, mi 80", 350.0));
    }

    #[test]
    fn every_line_that_is_wrong_is_named() {
        let faults = read_plain_chargers(
            "every 2 km, 150 kW\n400 km, 150\nsomewhere\n100 km, 9000 kW\n100 km, 50 kW",
            metric(),
            Distance::km(300.0),
        )
        .unwrap_err();
        let parts = ["closer than 5 km", "beyond the road’s 300 km", "no distance is said", "9000 kW is no power"];
        assert_eq!(faults.len(), parts.len());
        for (fault, part) in faults.iter().zip(parts) {
            assert!(fault.contains(part) && fault.contains("expected such as every 60 km, 150 kW"), "{fault}");
        }
        let many = read_plain_chargers("every 5 km, 50 kW", metric(), Distance::km(20_000.0)).unwrap_err();
        assert!(many[0].contains("at most 500"), "{many:?}");
    }
}
