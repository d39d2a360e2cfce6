//! The built-in engine and the gauges against values that were computed independently.

mod bench;
mod cases;
#[allow(dead_code, unreachable_pub)]
#[path = "../../../engine/tests/engine/yard.rs"]
mod yard;

#[test]
fn every_case_that_can_be_told_in_the_plane_is_met_with_its_order_of_convergence() {
    let mut reported = 0;
    let mut wrong = Vec::new();
    for case in cases::all() {
        for row in cases::rows(&case) {
            reported += 1;
            let name = format!("{} {} [{}]: {:?}", row.case, row.quantity, row.options, row.errors);
            if !(row.errors[1] <= row.bound) {
                wrong.push(format!("{name} above {}", row.bound));
            }
            if let (Some(expected), Some(observed)) = (row.order, row.observed())
                && observed < expected - 0.35
            {
                wrong.push(format!("{name}: order {observed:.2} and not {expected}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {reported} rows:\n{}", wrong.len(), wrong.join("\n"));
    assert!(reported > 90, "{reported} rows");
}
