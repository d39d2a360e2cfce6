//! What claims, twins, series, conditions and rules of a scene resolve to.

use crate::{FRAME, setup_of, setup_text};
use ironspin_model::{BodyState, Bound, DVec3, Law, Scalar, Severity};
use ironspin_scene::{Scene, SeriesShape, Settings};

const BALL: &str =
    "[[body]]\nname = \"ball\"\nrepeat = { i = 3 }\nshape = { disc = 0.1 }\nat = [\"i\", 5]\nmaterial = \"iron\"\n";

fn claimed(lines: &str) -> ironspin_model::Claim {
    let text = format!("{BALL}[[claim]]\ngauge = \"value\"\nof = \"ball[0]\"\n{lines}\nbecause = \"it must\"\n");
    setup_of(&text).claims.remove(0)
}

fn state(x: f64, y: f64, vx: f64, vy: f64) -> BodyState {
    BodyState::planar(DVec3::new(x, y, 0.0), 0.5, DVec3::new(vx, vy, 0.0), 3.0)
}

#[test]
fn a_bound_with_roundings_knows_the_numbers_of_the_engine() {
    let claim = claimed("at_most = \"1e-9 + 8 * eps\"");
    let at = |scalar: Scalar| Bound::AtMost(1e-9 + 8.0 * scalar.epsilon());
    assert_eq!((claim.bound, claim.single), (at(Scalar::F64), Some(at(Scalar::F32))));
    assert_eq!(claim.bound_for(Scalar::F32, 1.0), at(Scalar::F32));
    assert_eq!(claimed("at_most = 3").single, None, "what does not round is the same for all");
    let share = claimed("equals = \"-2 * pi\"\nwithin = \"2 %\"");
    let Bound::Equals { value, within } = share.bound else { panic!("{:?}", share.bound) };
    assert!(value == -std::f64::consts::TAU && (within - 0.02 * std::f64::consts::TAU).abs() < 1e-15);
    assert_eq!(share.severity, Severity::Must);
}

#[test]
fn measures_are_worked_out_for_any_state() {
    let claim = claimed("measure = \"0.5 * speed ^ 2 + g * y + angle + spin * t\"\nat_most = 1");
    let measure = claim.details.measure.unwrap();
    let value = measure.value(&state(1.0, 2.0, 3.0, 4.0), 0.25);
    assert!((value - (12.5 + 9.81 * 2.0 + 0.5 + 0.75)).abs() < 1e-12, "{value}");
    // What it comes to is written out, so that another program could work it out.
    assert_eq!(measure.text(), "0.5 * speed ^ 2 + (9.81) * y + angle + spin * t");
    // What has no value there is not a number, and no mistake of the scene.
    let hole = claimed("measure = \"1 / (x - 1)\"\nat_most = 1").details.measure.unwrap();
    assert!(hole.value(&state(1.0, 0.0, 0.0, 0.0), 0.0).is_nan());
    assert_eq!(hole.value(&state(3.0, 0.0, 0.0, 0.0), 0.0), 0.5);
}

#[test]
fn a_path_is_two_expressions_over_time() {
    let claim = claimed("path = [\"3 * t\", \"5 - g * t ^ 2 / 2\"]\nat_most = 1");
    let path = claim.details.path.unwrap();
    let (x, y) = (&path[0], &path[1]);
    let anywhere = state(0.0, 0.0, 0.0, 0.0);
    assert_eq!(x.value(&anywhere, 2.0), 6.0);
    assert!((y.value(&anywhere, 2.0) - (5.0 - 0.5 * 9.81 * 4.0)).abs() < 1e-12);
}

#[test]
fn laws_are_read_with_their_numbers() {
    for (law, due) in [
        ("{ binomial = [\"2 * 6\", 0.5] }", Law::Binomial { tries: 12, chance: 0.5 }),
        ("{ normal = [-1, 2] }", Law::Normal { mean: -1.0, deviation: 2.0 }),
        ("{ exponential = 3 }", Law::Exponential { mean: 3.0 }),
        ("{ uniform = [-1, 1] }", Law::Uniform { from: -1.0, to: 1.0 }),
    ] {
        assert_eq!(claimed(&format!("law = {law}\nat_most = 1")).details.law, Some(due));
    }
}

#[test]
fn twins_and_series_keep_what_they_promise() {
    let setup = setup_of(&format!(
        "{BALL}[[twin]]\nby = [\"again\", \"split\"]\n[[twin]]\nby = \"mirror\"\nwithin = \"1e-6 * g\"\nbecause = \"left is as good as right\"\n\
         [[series]]\nover = \"dt\"\nvalues = [\"1/60\", 0.01]\ngauge = \"value.x\"\nof = \"ball[1..]\"\nfalls_with_order = 1.9\nbecause = \"Taylor\"\n\
         [[series]]\nover = \"size\"\ngauge = \"cost\"\nonly = \"rises\"\n"
    ));
    let twins: Vec<(&str, Option<f64>)> = setup.twins.iter().map(|twin| (twin.by.as_str(), twin.within)).collect();
    assert_eq!(twins, [("again", None), ("split", None), ("mirror", Some(1e-6 * 9.81))]);
    assert_eq!(setup.twins[2].because.as_deref(), Some("left is as good as right"));
    let [order, rises] = setup.series.as_slice() else { panic!("{:?}", setup.series) };
    assert_eq!(
        (order.shape, order.values.as_slice()),
        (SeriesShape::FallsWithOrder(1.9), [1.0 / 60.0, 0.01].as_slice())
    );
    assert_eq!((order.of.as_slice(), order.because.as_deref()), ([1, 2].as_slice(), Some("Taylor")));
    assert_eq!((rises.shape, rises.values.len(), rises.of.len()), (SeriesShape::OnlyRises, 0, 3));
}

#[test]
fn mixing_rules_give_each_pair_its_numbers() {
    for (rule, friction, restitution) in [
        ("standard", 0.3, 0.6),
        ("average", 0.5, 0.4),
        ("product", 0.09, 0.12),
        ("smaller", 0.1, 0.2),
        ("larger", 0.9, 0.6),
    ] {
        let text = format!(
            "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, 0]\nduration = 1\nmixing = \"{rule}\"\n\
             [material.iron]\ndensity = 1\nfriction = 0.9\nrestitution = 0.6\n[material.ice]\ndensity = 1\nfriction = 0.1\nrestitution = 0.2\n\
             [[body]]\nname = \"b\"\nshape = {{ disc = 1 }}\nat = [0, 0]\nmaterial = \"ice\"\n"
        );
        let world = setup_text(&text, &[]).unwrap().world;
        let (f, r) = world.mixed(0, 1);
        assert!((f - friction).abs() < 1e-12 && (r - restitution).abs() < 1e-12, "{rule}: {f}, {r}");
        assert_eq!(world.pairs.is_empty(), rule == "standard", "what every engine does by itself is not spelt out");
    }
}

#[test]
fn random_numbers_follow_the_seed_and_nothing_else() {
    let text = format!("{FRAME}{}", BALL.replace("\"i\", 5", "\"random(i)\", \"5 + random(i)\""));
    let places = |seed: u64| {
        let setup =
            Scene::parse(&text, "x.toml").unwrap().resolve(&Settings { seed, ..Settings::with_dt(0.1) }).unwrap();
        setup.world.bodies.iter().map(|body| body.pose.position).collect::<Vec<_>>()
    };
    assert_eq!(places(3), places(3));
    assert_ne!(places(3), places(4));
    for place in places(3) {
        assert!((0.0..1.0).contains(&place.x) && place.y == place.x + 5.0, "the same argument gives the same number");
    }
}

#[test]
fn a_limit_on_bodies_can_be_raised_and_lowered() {
    let text = format!("{FRAME}{BALL}");
    let with = |body_limit: usize| {
        Scene::parse(&text, "x.toml").unwrap().resolve(&Settings { body_limit, ..Settings::with_dt(0.1) })
    };
    assert_eq!(with(3).unwrap().world.bodies.len(), 3);
    let error = with(2).unwrap_err();
    assert!(error.message.contains("more than 2 bodies"), "{}", error.message);
    assert_eq!(error.help.as_deref(), Some("--max-bodies raises the limit"));
}

#[test]
fn the_resolved_form_keeps_conditions_motions_and_promises() {
    let tables = format!(
        "{BALL}[[body]]\nname = \"belt\"\nkind = \"kinematic\"\nmotion = {{ swing = {{ reach = [1, 0], turn = \"30 deg\", period = 2, phase = 0.25 }} }}\n\
         shape = {{ box = [3, 1] }}\nat = [0, 0]\nmaterial = \"iron\"\n\
         [[body]]\nname = \"late\"\nabsent = true\nshape = {{ disc = 0.2 }}\nat = [7, 7]\nmaterial = \"iron\"\n\
         [[action]]\nwhen = \"y < 4 && vy < 0\"\non = \"ball\"\nforce = [\"mass * g\", 0]\nfor_time = 0.5\n\
         [[action]]\nat_time = 1\non = \"late\"\nadd = true\nplace = {{ at = [1, 9], angle = 0.5 }}\n\
         [[action]]\nat_time = 2\non = \"ball[1]\"\nremove = true\n\
         [[action]]\nat_time = 0.5\nray = {{ from = [0, 0], to = [9, 9] }}\n[[action]]\nat_time = 0.75\non = \"ball\"\nforecast = {{ horizon = 0.5 }}\n\
         [[twin]]\nby = \"mirror\"\nwithin = 1e-6\n"
    );
    let scene = Scene::parse(&format!("{FRAME}{tables}"), "x.toml").unwrap();
    let first = scene.resolve(&Settings::with_dt(0.125)).unwrap();
    let printed = scene.print_resolved(&first);
    let second = setup_text(&printed, &[]).unwrap_or_else(|error| panic!("{error}\n{printed}"));
    assert_eq!(first.world, second.world, "{printed}");
    assert_eq!((&first.probes, &first.twins, &first.features), (&second.probes, &second.twins, &second.features));
    assert_eq!(first.triggers.len(), 3);
    for (one, other) in first.triggers.iter().zip(&second.triggers) {
        assert_eq!((one.body, &one.effects, one.further_steps), (other.body, &other.effects, other.further_steps));
    }
}
