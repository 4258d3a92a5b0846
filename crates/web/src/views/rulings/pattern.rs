//! The pattern of a ruling: what a person chose of it, and the ruling that this makes.

use jurado_core::decision::{Action, Ruling};
use jurado_core::finding::{Finding, Key, Kind};
use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::verdict::{Judged, JudgedResult};
use jurado_core::wording;
use jurado_store::Lab;
use rust_decimal::Decimal;

use crate::forms;

/// What a person chose of a pattern; empty is what the finding says itself.
#[derive(Clone, Debug, Default, serde::Deserialize)]
#[serde(default)]
pub(crate) struct Chosen {
    /// Table that the ruling comes from.
    pub(crate) sheet: u32,
    /// Key of the finding there.
    pub(crate) finding: String,
    /// In place of the key what is found there, as a summary writes it.
    pub(crate) pattern: String,
    /// In place of a finding: a lab, the id of a result, and the value that its accuracy is judged against at a place.
    pub(crate) lab: u32,
    pub(crate) item: String,
    pub(crate) against: String,
    /// In place of a result the id of a constant, which is taken as that value.
    pub(crate) constant: String,
    /// `any` for every kind of slip.
    pub(crate) slip: String,
    /// `any` for every result of the lab.
    pub(crate) result: String,
    /// Id of a section; empty for any.
    pub(crate) section: String,
    /// `key=value`, empty for any; one for each key of the lab, of which a ruling takes three.
    pub(crate) at: String,
    pub(crate) at2: String,
    pub(crate) at3: String,
    /// `new` for what is handed in from now on alone.
    pub(crate) when: String,
    /// `forgive`, `points` or `accept`; `school` where the slip is what the section was taught.
    pub(crate) does: String,
    pub(crate) points: String,
    pub(crate) reason: String,
    pub(crate) token: String,
    /// What was seen of the lab's rulings.
    pub(crate) seen: String,
}

impl Chosen {
    /// The section it is kept to.
    pub(crate) fn section_id(&self) -> Option<u32> {
        self.section.parse().ok()
    }

    /// Whether it says what tables are judged by, so that it is about every table of the pattern and not about findings.
    pub(crate) fn sets(&self) -> bool {
        self.lab > 0 || self.does == "school"
    }

    /// Whether it says what is taught: a school or a constant.
    pub(crate) fn teaches(&self) -> bool {
        self.of_constant() || self.does == "school"
    }

    /// Whether it comes from a place of the Floor.
    pub(crate) fn of_place(&self) -> bool {
        self.lab > 0 && self.constant.is_empty()
    }

    /// Whether it is about a constant.
    pub(crate) fn of_constant(&self) -> bool {
        self.lab > 0 && !self.constant.is_empty()
    }

    /// What is there has smaller numbers; which is the first is known when it is put in force.
    fn since(&self) -> Option<u32> {
        (self.when == "new").then_some(u32::MAX)
    }

    pub(crate) fn keys(&self) -> Vec<(String, String)> {
        let each = [&self.at, &self.at2, &self.at3].into_iter();
        each.filter_map(|at| at.split_once('=')).map(|(k, v)| (k.to_owned(), v.to_owned())).collect()
    }

    /// Whether it is about every result of the lab.
    pub(crate) fn wide(&self) -> bool {
        self.result == "any"
    }
}

/// The pattern that a finding and the choices give, or what is wrong with them in words.
pub(crate) struct Pattern {
    pub(crate) ruling: Ruling,
    /// Section and item in words.
    pub(super) item: String,
    /// Item of the finding that it comes from.
    pub(super) at: Option<ItemId>,
    pub(super) slip: String,
    pub(super) most: Decimal,
    /// The school that the slip is the formula of, in words; `None` where it is none.
    pub(super) school: Option<String>,
}

/// The kind of slip that a finding is about, as rulings know it.
pub(super) fn slip_of<'a>(judged: &'a Judged, finding: &Finding) -> Option<&'a JudgedResult> {
    let item = finding.place.item?;
    let at = |r: &&JudgedResult| r.item == item && (finding.place.row.is_none() || r.row == finding.place.row);
    judged.results.iter().find(at).filter(|r| r.slip.is_some() && finding.code() == "slip")
}

/// The word of the slip that a finding is about.
pub(crate) fn slip_word<'a>(judged: &'a Judged, finding: &Finding) -> Option<&'a str> {
    slip_of(judged, finding).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word())
}

/// Whether a finding may be found in other tables: what a person judges, adds or repairs is of one table.
pub(crate) fn has_likes(kind: &Kind) -> bool {
    !matches!(kind, Kind::Manual(_) | Kind::Own { .. } | Kind::Repair { .. } | Kind::Rewritten { .. })
}

impl Pattern {
    /// A place whose results are judged against a value, such as its own consensus.
    fn against(protocol: &Protocol, chosen: &Chosen) -> Result<Pattern, String> {
        let item = protocol.item(&chosen.item);
        let result = item.and_then(|i| protocol.result_of(i));
        let (Some(item), Some((criterion, _))) = (item, result.and_then(|n| protocol.accuracy_of(n))) else {
            return Err("The accuracy of this result is not judged: no reference can be set for it.".to_owned());
        };
        let (key, at) = chosen
            .keys()
            .into_iter()
            .next()
            .filter(|(_, at)| !at.is_empty())
            .ok_or("Say at which place: come from the Floor.")?;
        if !protocol.keys.iter().any(|k| k.id == key) {
            return Err("This lab has no such place: come from the Floor.".to_owned());
        }
        let value = forms::number(&chosen.against, &format!("the {}", protocol.full_title(item)))?;
        Ok(Pattern {
            ruling: Ruling {
                id: u64::from(u32::MAX),
                protocol: protocol.id.clone(),
                code: "accuracy".to_owned(),
                item: Some(chosen.item.clone()),
                slip: None,
                section: None,
                keys: [(key, at)].into(),
                against: Some(value),
                school: None,
                since: None,
                action: Action::Accept,
                reason: chosen.reason.trim().to_owned(),
            },
            item: protocol.full_title(item),
            at: Some(item),
            slip: String::new(),
            most: criterion.points,
            school: None,
        })
    }

    /// A constant that is taken as another value.
    fn constant(protocol: &Protocol, chosen: &Chosen) -> Result<Pattern, String> {
        let Some(item) = protocol.item(&chosen.constant).filter(|i| protocol.may_set(*i)) else {
            return Err("This lab has no such constant, or it is not one value for everybody.".to_owned());
        };
        let title = protocol.full_title(item);
        let value = forms::number(&chosen.against, &format!("the {title}"))?;
        Ok(Pattern {
            ruling: Ruling {
                id: u64::from(u32::MAX),
                protocol: protocol.id.clone(),
                code: Ruling::TAUGHT.to_owned(),
                item: Some(chosen.constant.clone()),
                slip: None,
                section: None,
                keys: chosen.keys().into_iter().collect(),
                against: Some(value),
                school: None,
                since: chosen.since(),
                action: Action::Accept,
                reason: chosen.reason.trim().to_owned(),
            },
            item: title,
            at: None,
            slip: String::new(),
            most: Decimal::ZERO,
            school: None,
        })
    }

    /// `judged` is the table that it comes from; none where it comes from a place.
    pub(crate) fn new(lab: &Lab, judged: Option<&Judged>, chosen: &Chosen) -> Result<Pattern, String> {
        let protocol = &lab.protocol;
        let Some(judged) = judged else {
            return if chosen.of_constant() {
                Pattern::constant(protocol, chosen)
            } else {
                Pattern::against(protocol, chosen)
            };
        };
        let key = Key::from(chosen.finding.clone());
        let finding = judged.findings.iter().find(|f| f.key == key).ok_or_else(|| {
            "This finding is no longer there: the table has changed. Look at it as it is now.".to_owned()
        })?;
        if !has_likes(&finding.kind) {
            return Err("This finding is of this table alone: it has no like.".to_owned());
        }
        let criterion = finding.criterion.as_deref().and_then(|id| protocol.criteria.iter().find(|c| c.id == id));
        let most = criterion.map_or(Decimal::ZERO, |c| c.points);
        let kind = slip_of(judged, finding).and_then(|r| r.slip.as_ref()).map(|s| &s.kind);
        let action = match chosen.does.as_str() {
            "" | "forgive" => Action::Forgive,
            "accept" | "school" => Action::Accept,
            "points" => Action::Points(forms::points(&chosen.points, most)?),
            other => return Err(format!("“{other}” is no ruling: choose one of the list.")),
        };
        let item = finding.place.item;
        let school = item.zip(kind).and_then(|(i, k)| protocol.school_named(&protocol.items[i].id, k.word()));
        let taught = chosen.does == "school";
        if taught && school.is_none() {
            return Err("This slip is the formula of no school of this lab: it can be forgiven.".to_owned());
        }
        let slip = kind.filter(|_| chosen.slip != "any" && !taught);
        Ok(Pattern {
            ruling: Ruling {
                id: u64::from(u32::MAX),
                protocol: protocol.id.clone(),
                code: if taught { Ruling::TAUGHT } else { finding.code() }.to_owned(),
                item: item.filter(|_| !chosen.wide() || taught).map(|i| protocol.items[i].id.clone()),
                slip: slip.map(|k| k.word().to_owned()),
                section: None,
                keys: chosen.keys().into_iter().collect(),
                against: None,
                school: school.as_ref().filter(|_| taught).map(|s| s.word.to_owned()),
                since: chosen.since(),
                action,
                reason: chosen.reason.trim().to_owned(),
            },
            item: item.map_or_else(|| "table".to_owned(), |i| protocol.full_title(i)),
            at: item,
            slip: match kind {
                Some(kind) => wording::slip(protocol, kind).to_owned(),
                None => wording::label(&finding.kind).to_owned(),
            },
            most,
            school: school.map(|s| s.words().to_owned()),
        })
    }
}
