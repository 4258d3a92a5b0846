//! The labs of the demo that were reviewed the week before: decided and signed by its two reviewers, each in their own way, and
//! some of them marked a second time, so that there is something to see under Moderation.

use jurado_core::decision::{Action, Decision};
use jurado_core::finding::{Finding, Key, Kind};
use jurado_core::protocol::{Protocol, Rule};
use jurado_core::verdict::Judged;
use jurado_store::second::Sample;
use jurado_store::{Lab, NewDecision, Store, StoreError, User, docket, moderation, second, sheets};
use rust_decimal::Decimal;

/// What a reviewer of the demo is like: of so many open findings one is forgiven, and of so many one costs other points.
struct Temper {
    name: &'static str,
    forgives: u64,
    weighs: u64,
}

const TEMPERS: [Temper; 2] =
    [Temper { name: "reviewer1", forgives: 2, weighs: 11 }, Temper { name: "reviewer2", forgives: 9, weighs: 4 }];

/// Decisions on one table that may each open another finding.
const ROUNDS: usize = 6;
/// Second marks that are drawn, and those that are left to be given.
const SAMPLE: Sample = Sample { lab: None, random: 16, hanging: 4 };
const LEFT: usize = 3;

/// A number that a table and a finding give, so that every demo is decided alike.
fn dice(table: &str, key: &Key) -> u64 {
    let text = format!("{table} {key}");
    text.bytes().fold(0xcbf2_9ce4_8422_2325, |hash, b| (hash ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3)) >> 7
}

impl Temper {
    fn on(&self, protocol: &Protocol, table: &str, f: &Finding) -> (Key, Action, &'static str) {
        if let (Kind::Manual(criterion), Some(line)) = (&f.kind, &f.criterion) {
            let best = match &protocol.criteria[*criterion].rule {
                Rule::Manual { levels } => levels.first().map_or(Decimal::ZERO, |l| l.1),
                _ => Decimal::ZERO,
            };
            return (Key::Line(line.clone()), Action::Points(best), "seen on the paper");
        }
        let thrown = dice(table, &f.key);
        match &f.key {
            Key::Repair { .. } => (f.key.clone(), Action::Accept, ""),
            key if thrown.is_multiple_of(self.forgives) => {
                (key.clone(), Action::Forgive, "the sheet shows how it came about")
            }
            key if thrown.is_multiple_of(self.weighs) && f.hangs > Decimal::ZERO => {
                let half = (f.hangs / Decimal::TWO).round_dp(2);
                (key.clone(), Action::Points(half), "half of it, since the rest was sound")
            }
            key => (key.clone(), Action::Accept, ""),
        }
    }

    fn decisions(&self, protocol: &Protocol, judged: &Judged) -> Vec<(Key, Action, &'static str)> {
        let table = format!("{} {}", judged.section, judged.team);
        // What is charged by rule is looked at too, and forgiven now and then.
        let rarely = |f: &Finding| dice(&table, &f.key).is_multiple_of(2 * self.forgives);
        let charged = |f: &Finding| f.cost > Decimal::ZERO && !f.is_settled() && rarely(f);
        judged.findings.iter().filter(|f| f.open() || charged(f)).map(|f| self.on(protocol, &table, f)).collect()
    }

    /// Decides a table to its end and signs it.
    fn sign(&self, store: &Store, lab: &Lab, id: u32, user: &User) -> Result<(), StoreError> {
        store.run(|c| {
            for _ in 0..ROUNDS {
                let detail = sheets::get(c, id, user)?;
                let new = self.decisions(&lab.protocol, &detail.judge(&lab.protocol));
                if new.is_empty() {
                    return sheets::sign(c, id, detail.version, user);
                }
                let new: Vec<NewDecision> =
                    new.into_iter().map(|(key, action, why)| NewDecision::new(key, action, why)).collect();
                sheets::decide(c, id, detail.version, user, &new)?;
            }
            Ok(())
        })
    }

    /// Gives the second marks that wait for a reviewer, all but some.
    fn mark_again(&self, store: &Store, user: &User) -> Result<(), StoreError> {
        let asked = store.look(|c| second::waiting(c, Some(user.id)))?;
        for asked in asked.iter().skip(LEFT) {
            store.run(|c| {
                let detail = second::get(c, asked.id, user)?;
                let protocol = jurado_store::labs::get(c, detail.lab_id)?.protocol;
                let mut all: Vec<Decision> = detail.in_force();
                let given = all.len();
                for _ in 0..ROUNDS {
                    let judged = jurado_core::judging::judge_in(
                        &protocol,
                        &detail.settings,
                        &detail.submission,
                        &detail.rulings,
                        &all,
                    );
                    let by = user.name.clone();
                    let new = self.decisions(&protocol, &judged).into_iter().map(|(finding, action, why)| Decision {
                        finding,
                        action,
                        reason: why.to_owned(),
                        by: by.clone(),
                        text: String::new(),
                    });
                    all.extend(new);
                }
                second::mark(c, asked.id, detail.submission_id, &all[given..], user)
            })?;
        }
        Ok(())
    }
}

/// Decides and signs all tables of some labs, opens a round of moderation, and has a part of the tables marked again.
///
/// # Errors
/// Faults of the database.
pub(super) fn review(store: &Store, labs: &[Lab], people: &[User]) -> Result<(), StoreError> {
    let named =
        |name: &str| people.iter().find(|u| u.sign_in == name).ok_or(StoreError::NotFound("person of the demo"));
    let coordinator = named("coordinator")?;
    for lab in labs {
        for (n, row) in store.look(|c| docket::of_lab(c, lab.id, coordinator))?.iter().enumerate() {
            // Where both see a section they take turns.
            let may: Vec<(&Temper, &User)> = TEMPERS
                .iter()
                .filter_map(|t| Some((t, named(t.name).ok()?)))
                .filter(|(_, user)| user.sees(row.section_id))
                .collect();
            if let Some((temper, user)) = may.get(n % may.len().max(1)) {
                temper.sign(store, lab, row.id, user)?;
            }
        }
    }
    store.run(|c| {
        let round = moderation::open(c, coordinator)?;
        moderation::read(
            c,
            round,
            "The sheet of the second lab was new to me: I forgave what it did not say.",
            named(TEMPERS[0].name)?,
        )?;
        second::draw(c, &SAMPLE, coordinator)
    })?;
    for temper in &TEMPERS {
        temper.mark_again(store, named(temper.name)?)?;
    }
    Ok(())
}
