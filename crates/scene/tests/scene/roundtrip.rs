//! A scene printed as its resolved form and read again builds the same world, bit for bit.

use crate::{setup_of, setup_text};
use ironspin_scene::{Scene, Settings};
use proptest::prelude::*;

fn number() -> impl Strategy<Value = f64> {
    prop_oneof![-10.0..10.0_f64, Just(0.0), Just(1.0 / 3.0), -1e-9..1e-9_f64]
}

fn size() -> impl Strategy<Value = f64> {
    prop_oneof![0.01..5.0_f64, Just(0.1), Just(1.0 / 3.0)]
}

/// A convex polygon: points on a circle, stretched.
fn polygon() -> impl Strategy<Value = String> {
    (3..8_usize, size(), size(), number()).prop_map(|(count, a, b, turn)| {
        let corner = |i: usize| {
            let angle = turn + std::f64::consts::TAU * i as f64 / count as f64;
            format!("[{:?}, {:?}]", a * angle.cos() + 0.2, b * angle.sin())
        };
        format!("{{ polygon = [{}] }}", (0..count).map(corner).collect::<Vec<_>>().join(", "))
    })
}

fn shape() -> impl Strategy<Value = String> {
    prop_oneof![
        size().prop_map(|r| format!("{{ disc = {r:?} }}")),
        (size(), size()).prop_map(|(a, b)| format!("{{ box = [{a:?}, {b:?}] }}")),
        (size(), size()).prop_map(|(a, b)| format!("{{ capsule = [{a:?}, {b:?}] }}")),
        polygon(),
    ]
}

fn body(number_of: usize) -> impl Strategy<Value = String> {
    let parts = prop::collection::vec((shape(), number(), number(), number(), any::<bool>()), 1..4);
    (parts, [number(), number(), number()], [number(), number(), number()], any::<[bool; 5]>(), size()).prop_map(
        move |(parts, at, motion, flags, mass)| {
            let part = |(index, (shape, x, y, angle, sensor)): (usize, &(String, f64, f64, f64, bool))| {
                let sensor = if *sensor && index > 0 { ", sensor = true" } else { "" };
                format!("{{ shape = {shape}, at = [{x:?}, {y:?}], angle = {angle:?}{sensor} }}")
            };
            let parts = parts.iter().enumerate().map(part).collect::<Vec<_>>().join(", ");
            let mut text = format!(
                "[[body]]\nname = \"b{number_of}\"\nrepeat = {{ i = 2 }}\nparts = [{parts}]\nat = [\"{:?} + i / 3\", {:?}]\nangle = {:?}\nmaterial = \"iron\"\n",
                at[0], at[1], at[2]
            );
            match (flags[0], flags[1]) {
                (true, true) => text.push_str("kind = \"static\"\n"),
                (kinematic, _) => {
                    text.push_str(&format!("velocity = [{:?}, {:?}]\nspin = {:?}\n", motion[0], motion[1], motion[2]));
                    text.push_str(if kinematic { "kind = \"kinematic\"\n" } else { "" });
                }
            }
            if flags[2] {
                text.push_str(&format!("mass = {mass:?}\n"));
            }
            if flags[3] {
                text.push_str("layers = [\"gate\"]\nmeets = [\"common\", \"gate\"]\ndamping = 0.3\n");
            }
            if flags[4] {
                text.push_str("fixed_turn = true\nswept = true\ngravity_factor = 0.7\n");
            }
            text
        },
    )
}

const JOINED: &str = "[[body]]\nname = \"p\"\nrepeat = { i = 2 }\nshape = { box = [0.3, 0.7] }\nat = [\"i\", 30]\nangle = 0.7\nmaterial = \"iron\"\n\
    [[joint]]\nkind = \"slider\"\nbetween = [\"p[0]\", \"p[1]\"]\naxis = [0.3, 0.9]\nlimits = [-1, 2]\n\
    [[joint]]\nkind = \"spring\"\nbetween = [\"p[0]\", \"p[1]\"]\nstiffness = 3.3\nat = [0.1, 30.1]\n\
    [[apart]]\nbetween = [\"p[0]\", \"p[1]\"]\n\
    [[action]]\nat_time = 0.1\nevery = 0.3\non = \"p\"\nimpulse = [\"mass / 7\", 0]\npoint = [\"x\", \"y + 0.1\"]\n\
    [[action]]\nat_time = 0.2\ngravity = [0.1, 0.2]\n";

fn same(text: &str) {
    let scene = Scene::parse(text, "x.toml").unwrap_or_else(|error| panic!("{error}\n{text}"));
    let first = scene.resolve(&Settings::with_dt(0.125)).unwrap_or_else(|error| panic!("{error}\n{text}"));
    let printed = scene.print_resolved(&first);
    let second = setup_text(&printed, &[])
        .unwrap_or_else(|error| panic!("{error}: {:?}\n{printed}", error.place.as_ref().map(|p| p.line())));
    assert!(first.world == second.world, "{printed}");
    // Equality takes -0 for 0; the text of all bits does not.
    assert_eq!(format!("{:?}", first.world), format!("{:?}", second.world));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn worlds_come_back_bit_for_bit(bodies in prop::collection::vec(any::<u8>(), 1..4).prop_flat_map(|list| {
        list.into_iter().enumerate().map(|(i, _)| body(i)).collect::<Vec<_>>()
    })) {
        let head = setup_head();
        same(&format!("{head}{}{JOINED}", bodies.concat()));
    }
}

fn setup_head() -> &'static str {
    crate::FRAME
}

#[test]
fn bundled_scenes_come_back_with_their_claims() {
    for name in ironspin_scene::bundled::names() {
        let scene = Scene::open(name).unwrap();
        let first = scene.resolve(&Settings::with_dt(1.0 / 60.0)).unwrap();
        let second = Scene::parse(&scene.print_resolved(&first), "r.toml").unwrap();
        let second = second.resolve(&Settings::with_dt(1.0 / 60.0)).unwrap();
        assert_eq!(first.world, second.world, "{name}");
        for (a, b) in first.claims.iter().zip(&second.claims) {
            assert_eq!(
                (&a.of, &a.against, a.bound, a.window.from),
                (&b.of, &b.against, b.bound, b.window.from),
                "{name}"
            );
        }
    }
    assert!(setup_of(JOINED).world.joints.len() == 2);
}
