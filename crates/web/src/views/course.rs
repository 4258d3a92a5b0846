//! How the course calls itself and tells time. It is read with every signed-in request; what is made in between, such as a
//! page of faults, uses what was read last.

use std::sync::{Arc, LazyLock, RwLock};

use chrono::{LocalResult, NaiveDateTime, TimeZone};
use chrono_tz::Tz;
use jurado_store::settings::Course;

static CURRENT: LazyLock<RwLock<Arc<Course>>> = LazyLock::new(Default::default);

/// Forms of dates to choose from: pattern, and how it looks.
pub(crate) const FORMS: [(&str, &str); 4] = [
    ("%a %-d %b, %H:%M", "Sat 28 Nov, 13:05"),
    ("%-d.%-m.%Y %H:%M", "28.11.2026 13:05"),
    ("%Y-%m-%d %H:%M", "2026-11-28 13:05"),
    ("%b %-d, %-I:%M %p", "Nov 28, 1:05 PM"),
];

/// The course as it was read last.
pub(crate) fn current() -> Arc<Course> {
    CURRENT.read().map(|c| c.clone()).unwrap_or_default()
}

/// Takes a course that was read.
pub(crate) fn read(course: Course) {
    if *current() != course
        && let Ok(mut held) = CURRENT.write()
    {
        *held = Arc::new(course);
    }
}

/// The zone of a name; universal time for one that is not known.
fn zone(name: &str) -> Tz {
    name.parse().unwrap_or(Tz::UTC)
}

/// Whether a zone of that name is known.
pub(crate) fn is_zone(name: &str) -> bool {
    name.parse::<Tz>().is_ok()
}

/// Names of zones, to choose from.
pub(crate) fn zones() -> Vec<&'static str> {
    chrono_tz::TZ_VARIANTS.iter().map(|z| z.name()).collect()
}

/// A moment as people of the course say it; `at` is in universal time.
pub(crate) fn time(at: NaiveDateTime) -> String {
    told(at, &current())
}

fn told(at: NaiveDateTime, course: &Course) -> String {
    zone(&course.zone).from_utc_datetime(&at).format(&course.dates).to_string()
}

/// A moment for a field of a form, in the time of the course.
pub(crate) fn for_field(at: NaiveDateTime) -> String {
    zone(&current().zone).from_utc_datetime(&at).format("%Y-%m-%dT%H:%M").to_string()
}

/// A moment out of a field of a form, in universal time.
///
/// # Errors
/// What is wrong with it, in words: no date, or a time that the clocks of the course pass over.
pub(crate) fn from_field(text: &str) -> Result<NaiveDateTime, String> {
    moment(text, &current().zone)
}

fn moment(text: &str, name: &str) -> Result<NaiveDateTime, String> {
    let local = NaiveDateTime::parse_from_str(text, "%Y-%m-%dT%H:%M")
        .or_else(|_| NaiveDateTime::parse_from_str(text, "%Y-%m-%dT%H:%M:%S"))
        .map_err(|_| format!("“{text}” is no date and time: write it such as 2026-11-25T18:00."))?;
    match zone(name).from_local_datetime(&local) {
        LocalResult::Single(at) => Ok(at.naive_utc()),
        // An hour that comes twice: the later one, so that nobody is late by it.
        LocalResult::Ambiguous(_, later) => Ok(later.naive_utc()),
        LocalResult::None => {
            Err(format!("“{text}” does not come in {name}: the clocks are put forward over it. Choose another time."))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> NaiveDateTime {
        NaiveDateTime::parse_from_str(text, "%Y-%m-%d %H:%M").expect("a moment")
    }

    #[test]
    fn a_moment_is_told_in_the_zone_and_form_of_the_course() {
        for (zone, dates, text) in [
            ("UTC", FORMS[0].0, "Sat 28 Nov, 13:05"),
            ("Europe/Helsinki", FORMS[1].0, "28.11.2026 15:05"),
            ("America/New_York", FORMS[3].0, "Nov 28, 8:05 AM"),
            ("Asia/Kathmandu", FORMS[2].0, "2026-11-28 18:50"),
            ("nowhere", FORMS[2].0, "2026-11-28 13:05"),
        ] {
            let course = Course { zone: zone.into(), dates: dates.into(), ..Course::default() };
            assert_eq!(told(at("2026-11-28 13:05"), &course), text, "{zone}");
        }
    }

    #[test]
    fn what_is_typed_is_meant_in_the_zone_and_an_hour_that_does_not_come_is_told() {
        for (text, zone, utc) in [
            ("2026-11-28T18:00", "UTC", Some("2026-11-28 18:00")),
            ("2026-11-28T18:00", "Europe/Berlin", Some("2026-11-28 17:00")),
            ("2026-07-01T18:00:00", "Europe/Berlin", Some("2026-07-01 16:00")),
            // Put forward over it; put back, so that it comes twice.
            ("2026-03-29T02:30", "Europe/Berlin", None),
            ("2026-10-25T02:30", "Europe/Berlin", Some("2026-10-25 01:30")),
            ("tomorrow", "UTC", None),
        ] {
            assert_eq!(moment(text, zone).ok(), utc.map(at), "{text} in {zone}");
        }
    }
}
