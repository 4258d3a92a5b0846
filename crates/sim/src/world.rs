//! A lab's world: true values per class, station, team and row, carried forward through instruments to what a display
//! shows. A world is a file of its own beside the protocol, so a new lab needs no code here either.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};

use jurado_core::error::Fault;
use jurado_core::formula::ast::Ast;
use jurado_core::formula::{Context, Value, evaluate, parse};
use jurado_core::protocol::{
    ItemId, ItemKind, Protocol, ReadingId, ReadingKind, ReadingSpec, Reference, RowCount, TableId,
};
use jurado_core::quantity::Unit;
use serde::Deserialize;
use toml::Spanned;

use crate::calculator::{Calculator, Val};
use crate::mistake::names_of;
use crate::random::{Chance, seed_of};

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    lab: Spanned<String>,
    #[serde(default)]
    rows: BTreeMap<String, RowsFile>,
    #[serde(default)]
    make: Vec<MakeFile>,
    #[serde(default)]
    answer: Vec<AnswerFile>,
    #[serde(default)]
    fault: Vec<FaultFile>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RowsFile {
    count: Option<u32>,
    /// Rows taken with each value of the table's key.
    each: Option<u32>,
    /// Rows go on until this holds …
    until: Option<Spanned<String>>,
    /// … but no more than these.
    most: Option<u32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct MakeFile {
    id: Spanned<String>,
    unit: Option<Spanned<String>>,
    /// class, team (default), row, or a key.
    per: Option<String>,
    table: Option<String>,
    value: Option<Spanned<String>>,
    /// The value of a column's first row, where `value` looks back to the row before.
    first: Option<Spanned<String>>,
    /// By the value of the key in `per`, or of the row's key.
    #[serde(default)]
    at: BTreeMap<String, f64>,
    uniform: Option<[f64; 2]>,
    #[serde(default)]
    noise: f64,
    /// Rounded to so much, as things that are made to a size are.
    whole: Option<f64>,
    /// `value` is nought at the true value, which lies in this range of `unit`.
    solve: Option<[f64; 2]>,
    #[serde(rename = "if")]
    when: Option<Spanned<String>>,
    #[serde(default)]
    word: Vec<WordFile>,
    #[serde(default)]
    choose: Vec<String>,
    /// Of a setting: nearest (default) or above.
    pick: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WordFile {
    #[serde(rename = "if")]
    when: Option<Spanned<String>>,
    word: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct AnswerFile {
    id: Spanned<String>,
    #[serde(default)]
    word: Vec<WordFile>,
    figures: Option<i32>,
    decimals: Option<usize>,
    /// Not handed in where this does not hold.
    #[serde(rename = "if")]
    when: Option<Spanned<String>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct FaultFile {
    id: String,
    says: String,
    key: String,
    value: String,
    /// The true value that is off there, by a factor or by an amount in its unit.
    make: Spanned<String>,
    factor: Option<f64>,
    add: Option<f64>,
}

/// A word by conditions, the first that holds.
pub(crate) type Words = Vec<(Option<Ast>, String)>;

struct Make {
    id: String,
    unit: Unit,
    per: Option<String>,
    table: Option<TableId>,
    value: Option<Ast>,
    first: Option<Ast>,
    at: BTreeMap<String, f64>,
    uniform: Option<[f64; 2]>,
    noise: f64,
    whole: Option<f64>,
    solve: Option<[f64; 2]>,
    when: Option<Ast>,
    word: Words,
    choose: Vec<String>,
    above: bool,
    /// Index among the protocol's readings.
    reading: Option<ReadingId>,
}

/// How a result is written down.
pub(crate) struct Answer {
    pub(crate) words: Words,
    pub(crate) figures: Option<i32>,
    pub(crate) decimals: Option<usize>,
    pub(crate) when: Option<Ast>,
}

struct RowRule {
    count: Option<u32>,
    each: u32,
    until: Option<Ast>,
    most: u32,
}

/// A fault of the apparatus at one place.
pub(crate) struct ApparatusFault {
    pub(crate) id: String,
    pub(crate) says: String,
    pub(crate) key: String,
    pub(crate) value: String,
    make: String,
    factor: f64,
    add: f64,
}

/// A world, checked against its protocol.
pub struct World {
    rows: HashMap<TableId, RowRule>,
    makes: Vec<Make>,
    pub(crate) answers: HashMap<String, Answer>,
    pub(crate) faults: Vec<ApparatusFault>,
}

/// One reading as the display showed it.
#[derive(Clone, Debug)]
pub(crate) struct Shown {
    pub(crate) item: ItemId,
    pub(crate) row: Option<u32>,
    pub(crate) text: String,
    /// Coherent SI units; not a number for a word or a bound.
    pub(crate) si: f64,
    /// The display's step, in the reading's unit.
    pub(crate) step: f64,
}

/// What a team has seen in the room.
pub(crate) struct Seen {
    pub(crate) readings: Vec<Shown>,
    /// True values, for answers that come from looking.
    pub(crate) truth: HashMap<String, Val>,
    /// Row keys by table: the value of each row.
    pub(crate) row_keys: HashMap<TableId, Vec<String>>,
    /// Rows taken, by table.
    pub(crate) rows: HashMap<TableId, usize>,
}

impl World {
    /// Reads and checks a world.
    ///
    /// # Errors
    /// Every fault found, each with its place.
    pub fn parse(text: &str, protocol: &Protocol) -> Result<World, Vec<Fault>> {
        let file: File = toml::from_str(text).map_err(|e| {
            let what = e.message().lines().collect::<Vec<_>>().join(", ");
            vec![Fault::at(text, e.span().map_or(0, |s| s.start), what, "see docs/simulation.md for a world's fields")]
        })?;
        Reader { text, protocol, faults: Vec::new() }.read(file)
    }
}

struct Reader<'a> {
    text: &'a str,
    protocol: &'a Protocol,
    faults: Vec<Fault>,
}

impl Reader<'_> {
    fn fault(&mut self, at: usize, what: impl Into<String>, mend: impl Into<String>) {
        self.faults.push(Fault::at(self.text, at, what, mend));
    }

    fn ast(&mut self, text: Option<&Spanned<String>>) -> Option<Ast> {
        let text = text?;
        parse(text.get_ref()).map_err(|e| self.fault(text.span().start + 1 + e.span.start, e.what, e.mend)).ok()
    }

    fn words(&mut self, words: &[WordFile]) -> Words {
        words.iter().map(|w| (self.ast(w.when.as_ref()), w.word.clone())).collect()
    }

    fn make(&mut self, m: &MakeFile) -> Make {
        let id = m.id.get_ref().clone();
        let item = self.protocol.item(&id);
        let reading = item.and_then(|i| match self.protocol.items[i].kind {
            ItemKind::Reading(r) => Some(r),
            _ => None,
        });
        if item.is_some() && reading.is_none() {
            self.fault(m.id.span().start, format!("`{id}` is no reading"), "give a true value a name of its own");
        }
        let unit = match (&m.unit, item) {
            (Some(u), _) => Unit::parse(u.get_ref()).unwrap_or_else(|e| {
                self.fault(u.span().start, e.to_string(), "use a unit of docs/protocols.md");
                Unit::one()
            }),
            (None, Some(i)) => self.protocol.items[i].unit.clone(),
            _ => Unit::one(),
        };
        let table = match (&m.table, reading) {
            (Some(t), _) => {
                let found = self.protocol.table(t);
                if found.is_none() {
                    self.fault(m.id.span().start, format!("there is no table `{t}`"), "mend its name");
                }
                found
            }
            (None, Some(r)) => self.protocol.readings[r].table,
            _ => None,
        };
        let silent =
            m.value.is_none() && m.uniform.is_none() && m.at.is_empty() && m.word.is_empty() && m.choose.is_empty();
        if silent {
            self.fault(
                m.id.span().start,
                format!("nothing says what `{id}` is"),
                "give a value, uniform, at, word or choose",
            );
        }
        Make {
            unit,
            per: m.per.clone(),
            table,
            value: self.ast(m.value.as_ref()),
            first: self.ast(m.first.as_ref()),
            at: m.at.clone(),
            uniform: m.uniform,
            noise: m.noise,
            whole: m.whole,
            solve: m.solve,
            when: self.ast(m.when.as_ref()),
            word: self.words(&m.word),
            choose: m.choose.clone(),
            above: m.pick.as_deref() == Some("above"),
            reading,
            id,
        }
    }

    /// A name has to stand above what uses it; a table is taken, all of it, where its first line stands.
    fn names_are_known(&mut self, written: &[MakeFile], makes: &[Make], rows: &HashMap<TableId, RowRule>) {
        let mut known: Vec<String> = vec!["n".to_owned()];
        known.extend(self.protocol.keys.iter().map(|k| k.id.clone()));
        for item in &self.protocol.items {
            if matches!(item.kind, ItemKind::Reference(_) | ItemKind::Parameter(_)) {
                known.push(item.id.clone());
            }
        }
        let mut taken: Vec<TableId> = Vec::new();
        for (file, make) in written.iter().zip(makes) {
            let mut group: Vec<&Make> = vec![make];
            if let Some(t) = make.table {
                if taken.contains(&t) {
                    continue;
                }
                taken.push(t);
                group = makes.iter().filter(|m| m.table == Some(t)).collect();
            }
            for m in group {
                let own = |n: &str| n == m.id && m.solve.is_some();
                let before = |n: &str| {
                    n.strip_prefix("before_").is_some_and(|b| makes.iter().any(|x| x.id == b && x.table == make.table))
                };
                let asts = [&m.value, &m.first, &m.when]
                    .into_iter()
                    .flatten()
                    .chain(m.word.iter().filter_map(|w| w.0.as_ref()));
                let unknown = asts.flat_map(names_of).find(|n| !known.contains(n) && !own(n) && !before(n));
                if let Some(n) = unknown {
                    self.fault(
                        file.id.span().start,
                        format!("`{}` uses `{n}`, which is not known there", m.id),
                        "put what it uses above it; a table is taken where its first line stands",
                    );
                }
                known.push(m.id.clone());
            }
            if let Some(rule) = make.table.and_then(|t| rows.get(&t))
                && let Some(n) = rule.until.iter().flat_map(names_of).find(|n| !known.contains(n))
            {
                self.fault(
                    file.id.span().start,
                    format!("the table's end uses `{n}`, which is not known"),
                    "mend its name",
                );
            }
        }
    }

    fn read(mut self, file: File) -> Result<World, Vec<Fault>> {
        if *file.lab.get_ref() != self.protocol.id {
            self.fault(
                file.lab.span().start,
                format!("this is a world of `{}`, the protocol is `{}`", file.lab.get_ref(), self.protocol.id),
                "give the two that belong together",
            );
        }
        let mut rows = HashMap::new();
        for (name, r) in &file.rows {
            match self.protocol.table(name) {
                Some(t) => {
                    let until = self.ast(r.until.as_ref());
                    let most = r.most.unwrap_or(60);
                    rows.insert(t, RowRule { count: r.count, each: r.each.unwrap_or(1).max(1), until, most });
                }
                None => self.fault(0, format!("there is no table `{name}`"), "mend its name under [rows]"),
            }
        }
        let makes: Vec<Make> = file.make.iter().map(|m| self.make(m)).collect();
        let protocol = self.protocol;
        self.names_are_known(&file.make, &makes, &rows);
        for r in &protocol.readings {
            let id = &protocol.items[r.item].id;
            if !r.need.optional && r.need.required_if.is_none() && !makes.iter().any(|m| m.id == *id) {
                self.fault(0, format!("nothing makes the reading `{id}`"), "add a [[make]] for it");
            }
        }
        let mut answers = HashMap::new();
        for a in &file.answer {
            if protocol.item(a.id.get_ref()).is_none() {
                self.fault(a.id.span().start, format!("there is no result `{}`", a.id.get_ref()), "mend its name");
            }
            let words = self.words(&a.word);
            let when = self.ast(a.when.as_ref());
            answers.insert(a.id.get_ref().clone(), Answer { words, figures: a.figures, decimals: a.decimals, when });
        }
        let mut faults = Vec::new();
        for f in file.fault {
            if !makes.iter().any(|m| m.id == *f.make.get_ref()) {
                self.fault(f.make.span().start, format!("nothing makes `{}`", f.make.get_ref()), "mend its name");
            }
            faults.push(ApparatusFault {
                id: f.id,
                says: f.says,
                key: f.key,
                value: f.value,
                make: f.make.into_inner(),
                factor: f.factor.unwrap_or(1.0),
                add: f.add.unwrap_or(0.0),
            });
        }
        if self.faults.is_empty() { Ok(World { rows, makes, answers, faults }) } else { Err(self.faults) }
    }
}

/// The value of a reference for a key's value, coherent SI units; by its formula from what is known so far.
pub(crate) fn looked_up(
    protocol: &Protocol,
    reference: &Reference,
    keys: &BTreeMap<String, String>,
    names: &HashMap<String, Val>,
) -> f64 {
    if let Some(node) = &reference.formula {
        let env: Vec<Option<Value<f64>>> = protocol
            .items
            .iter()
            .map(|i| {
                names.get(&i.id).map(|v| match v {
                    Val::Many(xs) => Value::Column(xs.iter().map(|x| (!x.is_nan()).then_some(*x)).collect()),
                    v => Value::Scalar(v.number()),
                })
            })
            .collect();
        return evaluate(node, &Context::exact(&env)).unwrap_or(f64::NAN);
    }
    let at = reference.key.map_or(Some(""), |k| keys.get(&protocol.keys[k].id).map(String::as_str));
    reference.entries.iter().find(|e| Some(e.at.as_str()) == at).map_or(f64::NAN, |e| e.middle())
}

/// The first word whose condition holds.
pub(crate) fn word_of(words: &Words, calculator: &Calculator<'_>) -> String {
    words
        .iter()
        .find(|(when, _)| when.as_ref().is_none_or(|w| calculator.work(w).number() == 1.0))
        .map(|(_, w)| w.clone())
        .unwrap_or_default()
}

/// Decimals of a display with such a step.
pub(crate) fn decimals_of(step: f64) -> usize {
    (0..9).find(|d| (step * 10f64.powi(*d) - (step * 10f64.powi(*d)).round()).abs() < 1e-6).unwrap_or(3) as usize
}

pub(crate) struct Room<'a> {
    pub(crate) protocol: &'a Protocol,
    pub(crate) world: &'a World,
    pub(crate) seed: u64,
    pub(crate) faults: &'a [String],
}

impl Room<'_> {
    /// A team takes its readings.
    pub(crate) fn measure(&self, section: &str, keys: &BTreeMap<String, String>, chance: &mut Chance) -> Seen {
        let mut seen =
            Seen { readings: Vec::new(), truth: HashMap::new(), row_keys: HashMap::new(), rows: HashMap::new() };
        let mut names: HashMap<String, Val> = HashMap::new();
        for (k, v) in keys {
            names.insert(k.clone(), Val::Word(v.clone()));
        }
        for p in &self.protocol.parameters {
            names.insert(self.protocol.items[p.item].id.clone(), Val::One(p.value));
        }
        for r in self.protocol.references.iter().filter(|r| r.formula.is_none()) {
            let v = looked_up(self.protocol, r, keys, &names);
            names.insert(self.protocol.items[r.item].id.clone(), Val::One(v));
        }
        let mut done: Vec<TableId> = Vec::new();
        for make in &self.world.makes {
            match make.table {
                None => self.single(make, section, keys, &mut names, &mut seen, chance),
                Some(t) if !done.contains(&t) => {
                    done.push(t);
                    self.table(t, section, keys, &mut names, &mut seen, chance);
                }
                _ => {}
            }
        }
        seen.truth = names;
        seen
    }

    fn single(
        &self,
        make: &Make,
        section: &str,
        keys: &BTreeMap<String, String>,
        names: &mut HashMap<String, Val>,
        seen: &mut Seen,
        chance: &mut Chance,
    ) {
        let spec = make.reading.map(|r| &self.protocol.readings[r]);
        let times = spec.map_or(1, |s| match s.replicates_of {
            Some(p) => names.get(&self.protocol.items[p].id).map_or(1.0, Val::number) as u32,
            None => s.replicates,
        });
        let rows = spec.is_some_and(|s| self.protocol.has_rows(s.item));
        let mut column = Vec::new();
        for n in 1..=times.max(1) {
            names.insert("n".to_owned(), Val::One(f64::from(n)));
            let value = self.value(make, section, keys, names, false, chance);
            let Some(value) = value else { return };
            match spec {
                Some(s) => {
                    let shown = self.display(s, make, &value, rows.then_some(n), names);
                    column.push(Val::One(shown.si));
                    if let Val::Word(w) = &value {
                        names.insert(make.id.clone(), Val::Word(w.clone()));
                    }
                    seen.readings.push(shown);
                }
                None => {
                    names.insert(make.id.clone(), value);
                    return;
                }
            }
        }
        if rows {
            names.insert(make.id.clone(), Val::Many(column.iter().map(Val::number).collect()));
        } else if !matches!(names.get(&make.id), Some(Val::Word(_))) {
            names.insert(make.id.clone(), column.remove(0));
        }
    }

    fn table(
        &self,
        t: TableId,
        section: &str,
        keys: &BTreeMap<String, String>,
        names: &mut HashMap<String, Val>,
        seen: &mut Seen,
        chance: &mut Chance,
    ) {
        let spec = &self.protocol.tables[t];
        let rule = self.world.rows.get(&t);
        let each = rule.map_or(1, |r| r.each);
        let values = spec.key.map(|k| &self.protocol.keys[k]);
        let asked = match spec.rows {
            RowCount::Fixed(n) => n,
            RowCount::Between(least, _) => least,
            RowCount::Parameter(p) => names.get(&self.protocol.items[p].id).map_or(1.0, Val::number) as u32,
        };
        let until = rule.and_then(|r| r.until.as_ref());
        let count = rule.and_then(|r| r.count).unwrap_or(asked);
        let most = if until.is_some() { rule.map_or(60, |r| r.most) } else { count };
        let makes: Vec<&Make> = self.world.makes.iter().filter(|m| m.table == Some(t)).collect();
        let mut columns: HashMap<&str, Vec<Val>> = HashMap::new();
        let mut row_keys = Vec::new();
        for n in 1..=most {
            names.insert("n".to_owned(), Val::One(f64::from(n)));
            let mut keys = keys.clone();
            if let Some(key) = values {
                let value = key.values[((n - 1) / each) as usize % key.values.len()].clone();
                names.insert(key.id.clone(), Val::Word(value.clone()));
                keys.insert(key.id.clone(), value.clone());
                row_keys.push(value);
                for r in self.protocol.references.iter().filter(|r| r.formula.is_none()) {
                    let v = looked_up(self.protocol, r, &keys, names);
                    names.insert(self.protocol.items[r.item].id.clone(), Val::One(v));
                }
            }
            for make in &makes {
                let before = columns.get(make.id.as_str()).and_then(|c| c.last().cloned());
                if let Some(b) = before {
                    names.insert(format!("before_{}", make.id), b);
                }
            }
            for make in &makes {
                let column = columns.entry(&make.id).or_default();
                let value = self.value(make, section, &keys, names, n == 1, chance);
                let shown = match (value, make.reading) {
                    (None, _) => Val::One(f64::NAN),
                    (Some(v), None) => v,
                    (Some(v), Some(r)) => {
                        let shown = self.display(&self.protocol.readings[r], make, &v, Some(n), names);
                        let si = shown.si;
                        seen.readings.push(shown);
                        if let Val::Word(_) = v { v } else { Val::One(si) }
                    }
                };
                column.push(shown.clone());
                names.insert(make.id.clone(), shown);
            }
            let calculator = Calculator { names: names.clone(), ..Calculator::default() };
            if until.is_some_and(|u| calculator.work(u).number() == 1.0) {
                break;
            }
        }
        let taken = columns.values().map(Vec::len).max().unwrap_or(0);
        for (id, column) in columns {
            let whole = if column.iter().any(|v| matches!(v, Val::Word(_))) {
                Val::Words(column.into_iter().map(|v| if let Val::Word(w) = v { w } else { String::new() }).collect())
            } else {
                Val::Many(column.iter().map(Val::number).collect())
            };
            names.insert(id.to_owned(), whole);
        }
        seen.row_keys.insert(t, row_keys);
        seen.rows.insert(t, taken);
    }

    /// The true value, coherent SI units; `None` where there is nothing to be seen.
    fn value(
        &self,
        make: &Make,
        section: &str,
        keys: &BTreeMap<String, String>,
        names: &HashMap<String, Val>,
        first: bool,
        chance: &mut Chance,
    ) -> Option<Val> {
        let mut calculator = Calculator { names: names.clone(), ..Calculator::default() };
        if make.when.as_ref().is_some_and(|w| calculator.work(w).number() != 1.0) {
            return None;
        }
        let si = |v: f64| make.unit.to_si(v, make.unit.nature);
        // What belongs to the class or to a station is the same whoever comes.
        let mut fixed;
        let of = match make.per.as_deref() {
            None | Some("team" | "row") => None,
            Some("class") => Some(String::new()),
            Some("section") => Some(section.to_owned()),
            Some(key) => Some(keys.get(key).cloned().unwrap_or_default()),
        };
        let chance = match &of {
            Some(of) => {
                fixed = Chance::new(seed_of(self.seed, &[&make.id, of]));
                &mut fixed
            }
            None => chance,
        };
        if !make.choose.is_empty() {
            let i = chance.between(0.0, make.choose.len() as f64) as usize;
            return Some(Val::Word(make.choose[i.min(make.choose.len() - 1)].clone()));
        }
        if !make.word.is_empty() {
            return Some(Val::Word(word_of(&make.word, &calculator)));
        }
        let mut value = if let Some([low, high]) = make.uniform {
            si(chance.between(low, high))
        } else if !make.at.is_empty() {
            let at = keys.values().find_map(|v| make.at.get(v)).copied().unwrap_or(f64::NAN);
            si(at)
        } else {
            let ast = if first { make.first.as_ref().or(make.value.as_ref()) } else { make.value.as_ref() }?;
            match make.solve {
                None => calculator.work(ast).number(),
                Some([low, high]) => {
                    calculator.known = Some(RefCell::default());
                    let mut at = |x: f64| {
                        calculator.names.insert(make.id.clone(), Val::One(x));
                        calculator.work(ast).number()
                    };
                    let (mut low, mut high) = (si(low), si(high));
                    let below = at(low) < 0.0;
                    for _ in 0..200 {
                        let middle = f64::midpoint(low, high);
                        // No number lies between the two any more.
                        if middle == low || middle == high {
                            break;
                        }
                        if (at(middle) < 0.0) == below { low = middle } else { high = middle }
                    }
                    f64::midpoint(low, high)
                }
            }
        };
        for f in self.world.faults.iter().filter(|f| f.make == make.id && self.faults.contains(&f.id)) {
            if keys.get(&f.key) == Some(&f.value) {
                value = value * f.factor + f.add * make.unit.factor;
            }
        }
        if make.noise > 0.0 {
            value += chance.normal(make.noise) * make.unit.factor;
        }
        if let Some(size) = make.whole.filter(|_| make.reading.is_none()) {
            let in_unit = make.unit.from_si(value, make.unit.nature);
            value = si((in_unit / size).round() * size);
        }
        Some(Val::One(value))
    }

    /// A true value as the display shows it.
    fn display(
        &self,
        spec: &ReadingSpec,
        make: &Make,
        value: &Val,
        row: Option<u32>,
        names: &HashMap<String, Val>,
    ) -> Shown {
        let item = &self.protocol.items[spec.item];
        let v = match value {
            Val::Word(w) => {
                return Shown { item: spec.item, row, text: w.clone(), si: f64::NAN, step: 0.0 };
            }
            other => item.from_si(other.number()),
        };
        let instrument = spec.instrument.map(|i| &self.protocol.instruments[i]);
        let in_unit = |x: f64| x * instrument.map_or(1.0, |i| i.unit.factor) / item.unit.factor;
        let step = match (&spec.kind, instrument) {
            (ReadingKind::Count, _) => 1.0,
            (ReadingKind::Setting(list), _) if !list.is_empty() => {
                let near = |s: &&f64| if make.above && **s < v * 0.999 { f64::MAX } else { (**s - v).abs() };
                let picked = list.iter().min_by(|a, b| near(a).total_cmp(&near(b))).copied().unwrap_or(v);
                return Shown { item: spec.item, row, text: format!("{picked}"), si: item.to_si(picked), step: 0.0 };
            }
            (_, Some(i)) => match i.step_of {
                Some(s) => {
                    let setting = &self.protocol.items[s];
                    let by = names.get(&setting.id).map_or(1.0, Val::number);
                    in_unit(i.step * setting.from_si(by))
                }
                None => in_unit(i.step * if i.estimated { 0.1 } else { 1.0 }),
            },
            _ => make.whole.unwrap_or(0.001),
        };
        let shown = make.whole.map_or(v, |w| (v / w).round() * w);
        let shown = (shown / step).round() * step;
        let places = decimals_of(step);
        if let Some((low, high)) = instrument.and_then(|i| i.range).map(|(a, b)| (in_unit(a), in_unit(b))) {
            for (end, sign) in [(high, '>'), (low, '<')] {
                if (sign == '>' && shown > end) || (sign == '<' && shown < end) {
                    return Shown { item: spec.item, row, text: format!("{sign}{end:.places$}"), si: f64::NAN, step };
                }
            }
        }
        let text = format!("{shown:.places$}");
        let typed: f64 = text.parse().unwrap_or(shown);
        let text = if typed == 0.0 { text.trim_start_matches('-').to_owned() } else { text };
        Shown { item: spec.item, row, text, si: item.to_si(typed), step }
    }
}
