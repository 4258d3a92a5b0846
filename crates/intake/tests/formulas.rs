//! Formulas of workbooks that an ordinary office suite worked out (`bench/formulas.py`): read from both formats, followed and
//! worked out here, they give what the suite kept under each cell.

use jurado_core::cell::{Formula, Held, Value};

#[test]
fn five_hundred_formulas_of_either_format_give_what_the_office_suite_gave() {
    for (kind, bytes) in
        [("xlsx", include_bytes!("formulas.xlsx").as_slice()), ("ods", include_bytes!("formulas.ods").as_slice())]
    {
        let under = jurado_intake::formulas_of(bytes, "Data").expect("a workbook");
        let mut numbers = 0;
        let mut errors = 0;
        for (address, cell) in under.cells.iter().filter(|(a, c)| a.starts_with('G') && c.formula.is_some()) {
            let text = cell.formula.as_deref().unwrap_or_default();
            let got = Formula::of(&under, address).unwrap_or_else(|e| panic!("{kind} {address} {text}: {e:?}")).value();
            match (&cell.held, got) {
                (Held::Number(kept), Value::Number(got)) => {
                    let kept: f64 = kept.parse().expect("a number");
                    assert!(
                        (got - kept).abs() <= 1e-12 * kept.abs().max(1e-3),
                        "{kind} {address} {text}: {got}, not {kept}"
                    );
                    numbers += 1;
                }
                (Held::Error(_), Value::Fault(_)) => errors += 1,
                (kept, got) => panic!("{kind} {address} {text}: {got:?}, not {kept:?}"),
            }
        }
        assert_eq!(numbers + errors, 500, "{kind}");
        assert!(errors < 100, "{kind}: {errors} errors");
    }
}
