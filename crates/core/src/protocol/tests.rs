use super::*;

const KEEL_PLATE: &str = include_str!("../../tests/labs/plate-and-disc.toml");

#[test]
fn the_shipped_protocol_loads() {
    let p = Protocol::parse(KEEL_PLATE).unwrap_or_else(|f| panic!("{}", f[0]));
    assert_eq!((p.id.as_str(), p.version, p.possible.to_string().as_str()), ("keel-plate", 1, "20"));
    assert_eq!((p.readings.len(), p.results.len(), p.references[0].entries.len()), (8, 8, 5));
    assert!(p.cautions.last().expect("a standing line").contains("responsible person"));
    assert!(p.results.iter().all(|r| r.variants.len() > 5), "each formula invites mistakes");
    assert_eq!(p.digest.len(), 64);
}

/// One edit each of the shipped file: what is refused, where, and that a mend is named.
#[test]
fn each_plausible_mistake_is_refused_with_its_place() {
    let cases: &[(&str, &str, &str)] = &[
        ("format = 1", "format = 9", "format 9 is not known"),
        ("id = \"keel-plate\"", "id = \"Keel Plate\"", "`Keel Plate` is no id for a lab"),
        ("possible = \"20\"", "possible = \"21\"", "the criteria add up to 20 points, not 21"),
        (
            "unit = \"g/cm^3\"\nformula = \"plate_mass",
            "unit = \"g/cm^2\"\nformula = \"plate_mass",
            "`plate_density` comes out as length^-3·mass, which is not g/cm²",
        ),
        (
            "formula = \"plate_mass / plate_volume\"",
            "formula = \"plate_mass / plate_volum\"",
            "in the formula of `plate_density`: `plate_volum` is not known here",
        ),
        (
            "formula = \"plate_mass / plate_volume\"",
            "formula = \"plate_mass + plate_volume\"",
            "in the formula of `plate_density`: cannot add length^3 to mass",
        ),
        (
            "formula = \"mean(disc_diameter) - zero\"",
            "formula = \"disc_diameter - zero\"",
            "the result `disc_diameter_mean` is a column",
        ),
        (
            "formula = \"disc_mass / disc_volume\"",
            "formula = \"disc_mass / disc_volume * disc_error\"",
            "the results disc_density, disc_error need one another in a circle",
        ),
        (
            "instrument = \"caliper\"\nzero = true",
            "instrument = \"calliper\"\nzero = true",
            "there is no instrument `calliper`",
        ),
        (
            "unit = \"g\"\ninstrument = \"balance\"\nplausible = [20",
            "unit = \"mm\"\ninstrument = \"balance\"\nplausible = [20",
            "plate mass cannot be read in mm: the balance shows g",
        ),
        (
            "[[criterion]]",
            "[[slip]]\nid = \"twice\"\nresult = \"plate_density\"\nformula = \"2 * plate_mass / plate_volume\"\nsays = \"it was doubled\"\nshare = \"2\"\n\n[[criterion]]",
            "a share of 2 is no part of a result's points",
        ),
        (
            "[[criterion]]",
            "[[slip]]\nid = \"none\"\nresult = \"plate_density\"\nformula = \"plate_mass/plate_volume\"\nsays = \"nothing\"\n\n[[criterion]]",
            "the slip `none` has the right formula of `plate_density`",
        ),
        ("title = \"plate length\"", "title = \" \"", "`plate_length` has no title"),
        ("points = \"8\"", "points = \"8\"\nstep = \"0\"", "points cannot be given in steps of 0"),
        ("step = 0.02", "step = 0,02", "a comma stands inside a number"),
        ("step = 0.02", "step = \"0.02 mm\"", "a number is needed here, and there is string \"0.02 mm\""),
        ("step = 0.02", "step = 0.02\nname = \"open", "this text is not closed"),
        (
            "formula = \"plate_mass / plate_volume\"",
            "formula = \"(plate_mass * 1,5) / plate_volume\"",
            "in the formula of `plate_density`: a comma stands inside a number",
        ),
        ("plausible = [60, 120]", "plausible = [120, 60]", "the plausible range [120, 60] does not rise"),
        ("step = 0.02", "step = 0", "the step must be above nought, not 0"),
        ("source = \"range of", "source = \"\" #", "the reference `plate_reference` names no source"),
        (
            "5 = { says = \"titanium alloy\", range = [4.42, 4.46] }",
            "",
            "the reference `plate_reference` has no value for station 5",
        ),
        ("5 = { says = \"titanium alloy\"", "7 = { says = \"titanium alloy\"", "the key `station` has no value `7`"),
        ("id = \"plate_width\"", "id = \"plate_length\"", "`plate_length` is declared twice"),
        ("id = \"plate_width\"", "id = \"mean\"", "`mean` is a word of the formula language"),
        ("id = \"plate_width\"", "id = \"plate width\"", "`plate width` cannot be used in a formula"),
        ("direction = \"low\"", "direction = \"down\"", "`down` is no direction"),
        ("rule = \"units\"", "rule = \"unit\"", "`unit` is no rule of a criterion"),
        (
            "rule = \"completeness\"\neach = \"0.5\"",
            "rule = \"completeness\"",
            "the criterion `completeness` needs `each`",
        ),
        (
            "points = \"0.5\"\n\n[[result]]\nid = \"disc_diameter_mean\"",
            "points = \"0.75\"\n\n[[result]]\nid = \"disc_diameter_mean\"",
            "the results add up to 8.25 points, the criterion `calculation` has 8",
        ),
        (
            "{ within = 3.0, points = \"1\" }]\n\n[[criterion]]\nid = \"accuracy-disc\"",
            "{ within = 0.5, points = \"1\" }]\n\n[[criterion]]\nid = \"accuracy-disc\"",
            "the band within 0.5 does not lie beyond the one before",
        ),
        ("confidence = 95", "confidence = 97", "a confidence of 97 in 100 has no critical values"),
        ("decimal-point = \"0.25\"", "decimal-comma = \"0.25\"", "`decimal-comma` is no kind of slip"),
        ("replicates = 5", "replicates = 0", "0 replicates cannot be asked for"),
        ("shape = \"diameter\"", "shape = \"round\"", "`round` is no shape"),
        ("title = \"Keel plate\"", "titel = \"Keel plate\"", "unknown field `titel`"),
        ("title = \"Keel plate\"", "title = Keel", ""),
        ("share = \"0.5\"", "share = \"half\"", "`half` is no decimal number"),
    ];
    for (from, to, what) in cases {
        assert!(KEEL_PLATE.contains(from), "`{from}` is in the file");
        let text = KEEL_PLATE.replacen(from, to, 1);
        let faults = Protocol::parse(&text).expect_err(to);
        let hit = faults.iter().find(|f| f.what.contains(what)).unwrap_or_else(|| panic!("{to}: {faults:#?}"));
        assert!(hit.line >= 1 && hit.column >= 1 && !hit.mend.is_empty());
        // The place is on, or right beside, the edited lines.
        let line = |t: &str, needle: &str| t[..t.find(needle).unwrap_or(0)].matches('\n').count() + 1;
        let edited = line(KEEL_PLATE, from);
        let near = hit.line.abs_diff(edited) <= 20;
        assert!(near || hit.what.contains("add up"), "{what}: line {} for an edit at {edited}", hit.line);
    }
}

#[test]
fn a_formula_fault_points_into_the_formula() {
    let text = KEEL_PLATE.replacen("plate_mass / plate_volume", "plate_mass / plate_volum", 1);
    let fault = &Protocol::parse(&text).expect_err("misspelt")[0];
    let line = text.lines().nth(fault.line - 1).expect("a line");
    assert!(line[fault.column - 1..].starts_with("plate_volum\""), "{} in {line}", fault.column);
    assert!(fault.what.contains("^^^^^^^^^^^"), "{}", fault.what);
}

#[test]
fn any_text_is_refused_or_loaded_without_panic() {
    for text in
        ["", "\0", "format = 1", "[[reading]]", "format = 1e400", "ключ = 1", "id = \"\"\"", "[reference.at]\n1 = 2"]
    {
        assert!(Protocol::parse(text).is_err(), "{text}");
    }
    // Cutting the file anywhere gives faults or a protocol, never a panic.
    for end in (0..KEEL_PLATE.len()).step_by(97).filter(|e| KEEL_PLATE.is_char_boundary(*e)) {
        let _ = Protocol::parse(&KEEL_PLATE[..end]);
    }
}

#[test]
fn a_hidden_result_stands_in_formulas_and_nowhere_else() {
    let text = include_str!("../../tests/labs/echo-well.toml");
    let hidden = "\n[[result]]\nid = \"twice\"\ntitle = \"twice the speed\"\nbay = \"well\"\nunit = \"m/s\"\nformula = \"2 * speed\"\npoints = \"0\"\nhidden = true\n\
                  [[result]]\nid = \"again\"\ntitle = \"the speed again\"\nbay = \"well\"\nunit = \"m/s\"\nformula = \"twice / 2\"\npoints = \"0\"\n";
    let p = compile(&(text.to_owned() + hidden)).unwrap_or_else(|f| panic!("{f:?}"));
    let item = |id: &str| p.item(id).unwrap_or_else(|| panic!("no item {id}"));
    assert!(!p.is_typed(item("twice")) && p.is_typed(item("again")));
    assert!(p.results.iter().all(|r| r.item != item("twice")));
    let again = p.results.iter().find(|r| r.item == item("again")).map(|r| (r.node.items(), r.upstream.clone()));
    assert_eq!(again, Some((vec![item("speed")], vec![item("speed")])), "its formula holds what the hidden one says");
    // What is never asked for can earn nothing.
    let faults = compile(&(text.to_owned() + &hidden.replacen("points = \"0\"", "points = \"1\"", 1))).err();
    assert!(faults.is_some_and(|f| f.iter().any(|f| f.what.contains("`twice` is hidden"))));
}

#[test]
fn what_looks_wrong_and_is_no_fault_is_told() {
    let text = include_str!("../../tests/labs/echo-well.toml");
    let told = |text: &str| -> Vec<String> {
        compile(text).unwrap_or_else(|f| panic!("{f:?}")).warnings.into_iter().map(|w| w.what).collect()
    };
    let usual = told(text);
    let reading = "\n[[reading]]\nid = \"mood\"\ntitle = \"mood\"\nbay = \"well\"\nunit = \"cm\"\nkind = \"setting\"\n";
    let fitted = "\n[[instrument]]\nid = \"plumb\"\ntitle = \"plumb line\"\nunit = \"cm\"\nstep = 1\n";
    let constant = |short: &str, used: &str| {
        format!(
            "\n[[constant]]\nid = \"fall\"\ntitle = \"fall\"\nunit = \"m/s^2\"\nvalue = 9.812\nshort = [{short}]\nsource = \"chart\"\n{used}"
        )
    };
    let result = "[[result]]\nid = \"gee\"\ntitle = \"gee\"\nbay = \"well\"\nunit = \"m/s^2\"\nformula = \"fall\"\npoints = \"0\"\n";
    for (more, says) in [
        (reading.to_owned(), Some("nothing uses the reading `mood`")),
        (reading.to_owned() + &result.replace("fall", "mood").replace("m/s^2", "cm"), None),
        (fitted.to_owned(), Some("nothing uses the instrument `plumb`")),
        (constant("9.81", ""), Some("nothing uses the constant `fall`")),
        (constant("9.81", result), None),
        (constant("981", result), Some("981 is no short form of `fall`, 9.812")),
    ] {
        let now = told(&(text.to_owned() + &more));
        let new: Vec<&String> = now.iter().filter(|w| !usual.contains(w)).collect();
        assert_eq!(new.first().map(|w| w.as_str()), says, "{more}");
    }
    let silent = text.replace("responsible person", "person");
    let silence = |text: &str| told(text).iter().any(|w| w.contains("who decides on site"));
    assert!(silence(&silent) && !silence(text));
}

#[test]
fn a_run_names_only_what_there_is() {
    let text = include_str!("../../tests/labs/echo-well.toml");
    for (run, says) in [
        ("[run.values]\nlevl = \"5\"\n", "there is no reading or result `levl`"),
        ("[run]\nkeys = { station = \"1\" }\n[run.values]\n", "there is no key `station`"),
        ("[run]\nrows = { rnus = [\"a\"] }\n[run.values]\n", "there is no table `rnus`"),
        ("[run]\nrows = { runs = [\"z\"] }\n[run.values]\n", "“z” is no value of the key `fork`"),
        ("[run.values]\nspeed = [\"343\"]\n", "`speed` is a single value, and has no rows"),
    ] {
        let faults = compile(&format!("{text}\n{run}")).err().unwrap_or_default();
        assert!(faults.iter().any(|f| f.what.contains(says)), "{run}: {faults:?}");
        let line = text.lines().count();
        assert!(faults.iter().all(|f| f.line > line), "told where it stands: {faults:?}");
    }
}
