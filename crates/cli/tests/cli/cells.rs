//! Bodies of cells, and what comes apart when some are taken.

use crate::util::Yard;

const PLANE: &str = "scene = 1\nname = \"lintel\"\nabout = \"A lintel that cracks.\"\n[world]\ngravity = [0, 0]\nduration = 0.5\n\
                     [material.iron]\ndensity = 1000\nfriction = 0.4\nrestitution = 0\n";

/// A body of ten by four cells under way, with a claim on a piece.
fn lintel(actions: &str) -> String {
    format!(
        "{PLANE}[[body]]\nname = \"lintel\"\ncells = {{ size = [0.1, 0.2], count = [10, 4] }}\nat = [1, 2]\nvelocity = [3, 0]\nspin = 2\n\
         angle = \"90 deg\"\nmaterial = \"iron\"\n{actions}"
    )
}

#[test]
fn pieces_go_on_as_their_places_moved() {
    let yard = Yard::new();
    // The middle two columns go at once: the halves' middles are 0.3 m to either side of the whole's, which by then stands upright.
    let claim = |gauge: &str, of: &str, value: f64| {
        format!(
            "[[claim]]\ngauge = \"{gauge}\"\nof = \"{of}\"\nwindow = [0.1, 0.5]\nequals = {value:?}\nwithin = 1e-9\nbecause = \"free flight\"\n"
        )
    };
    // One step at 1/240 before they part: the whole has turned by 2/240 rad.
    let turned = 2.0_f64 / 240.0;
    let speed = 2.0 * 0.3;
    let (sin, cos) = turned.sin_cos();
    let claims = [
        claim("value.vx", "lintel_piece[0]", 3.0 + speed * cos),
        claim("value.vy", "lintel_piece[0]", speed * sin),
        claim("value.vx", "lintel_piece[1]", 3.0 - speed * cos),
        claim("value.spin", "lintel_piece[0]", 2.0),
        claim("value.spin", "lintel_piece[1]", 2.0),
    ];
    let action = "[[action]]\nat_time = \"1/240\"\non = \"lintel\"\ntake_cells = \"column == 4 or column == 5\"\n";
    yard.write("lintel.toml", &lintel(&format!("{action}{}", claims.concat())));
    yard.expect(0, "run lintel.toml --dt 1/240");
    // Its resolved form needs no cells.
    let resolved = yard.expect(0, "scenes show lintel.toml --resolved").out;
    assert!(resolved.contains("split = \"lintel_piece[0], lintel_piece[1]\""), "{resolved}");
    yard.write("resolved.toml", &resolved);
    yard.expect(0, "run resolved.toml --dt 1/240");
}

#[test]
fn cells_are_taken_again_from_what_is_left_and_masses_fit() {
    let yard = Yard::new();
    let action =
        |time: f64, taken: &str| format!("[[action]]\nat_time = {time:?}\non = \"lintel\"\ntake_cells = \"{taken}\"\n");
    let actions =
        action(0.2, "column == 8 and row == 3") + &action(0.1, "row == 1") + &action(0.3, "x < -0.2 and y > 0");
    yard.write("lintel.toml", &lintel(&actions));
    let shown: toml::Table = yard.expect(0, "scenes show lintel.toml --resolved").out.parse().unwrap();
    let masses: Vec<(String, f64)> = shown["body"]
        .as_array()
        .unwrap()
        .iter()
        .map(|body| (body["name"].as_str().unwrap().to_owned(), body["mass"].as_float().unwrap()))
        .collect();
    // 20 kg a cell: the whole; a row and two rows; the two rows but one cell; the same but six more.
    let expected = [
        ("lintel", 800.0),
        ("lintel_piece[0]", 200.0),
        ("lintel_piece[1]", 400.0),
        ("lintel_piece[2]", 380.0),
        ("lintel_piece[3]", 260.0),
    ];
    assert_eq!(masses.len(), expected.len(), "{masses:?}");
    for ((name, mass), (known, due)) in masses.iter().zip(expected) {
        assert!(name == known && (mass - due).abs() < 1e-9, "{masses:?}");
    }
    yard.expect(0, "run lintel.toml");
}

#[test]
fn in_space_a_block_comes_apart_in_layers() {
    let yard = Yard::new();
    let scene = "scene = 1\nname = \"block\"\nabout = \"A block that splits.\"\nspace = 3\n[world]\ngravity = [0, -9.81, 0]\nduration = 1\n\
                 [material.iron]\ndensity = 1000\nfriction = 0.4\nrestitution = 0\n\
                 [[body]]\nname = \"quay\"\nkind = \"static\"\nshape = { half_space = [0, 1, 0] }\nat = [0, 0, 0]\nmaterial = \"iron\"\n\
                 [[body]]\nname = \"block\"\ncells = { size = [0.2, 0.2, 0.2], count = [3, 2, 5], filled = \"not (layer == 1 and row == 0)\" }\n\
                 at = [0, 0.2, 0]\nmaterial = \"iron\"\n\
                 [[action]]\nat_time = 0.1\non = \"block\"\ntake_cells = \"layer == 1\"\n";
    let scene = [0, 1].iter().fold(scene.to_owned(), |scene, piece| {
        format!(
            "{scene}[[claim]]\ngauge = \"value.y\"\nof = \"block_piece[{piece}]\"\nwindow = [0.9, 1]\nequals = 0.2\nwithin = 0.002\nbecause = \"it stands on the quay\"\n"
        )
    });
    yard.write("block.toml", &scene);
    yard.expect(0, "run block.toml");
    let checked = yard.expect(0, "scenes check block.toml");
    assert!(checked.out.contains("4 bodies"), "{}", checked.out);
}

#[test]
fn cells_that_cannot_be_are_refused_with_what_to_do() {
    let yard = Yard::new();
    let refused = |text: &str, parts: &[&str]| {
        yard.write("case.toml", text);
        let told = yard.expect(2, "scenes check case.toml").err;
        parts.iter().for_each(|part| assert!(told.contains(part), "{part}: {told}"));
    };
    let take = |taken: &str| lintel(&format!("[[action]]\nat_time = 0.1\non = \"lintel\"\ntake_cells = \"{taken}\"\n"));
    refused(&take("column > 10"), &["no cell of `lintel` is taken"]);
    refused(&take("colum > 3"), &["colum", "column"]);
    refused(&take("layer > 3"), &["layer"]);
    let with = |cells: &str| lintel("").replace("count = [10, 4]", cells);
    refused(&with("count = [10, 4], filled = \"column != 4\""), &["hang together in 2 pieces"]);
    refused(&with("count = [10, 4], filled = \"0\""), &["no cell is filled"]);
    refused(&with("count = [1000, 1000]"), &["100000 cells at most"]);
    refused(&with("count = [2.5, 1]"), &["whole numbers"]);
    refused(&with("count = [1, 1], filed = \"1\""), &["unknown key `filed`", "filled"]);
    refused(&lintel("").replace("spin = 2", "shape = { disc = 1 }"), &["a body has `cells`, or a `shape`"]);
    refused(&lintel("").replace("spin = 2", "inertia = 2"), &["cells give a body its inertia"]);
    let other = "[[body]]\nname = \"disc\"\nshape = { disc = 0.1 }\nat = [9, 9]\nmaterial = \"iron\"\n\
                 [[action]]\nat_time = 0.1\non = \"disc\"\ntake_cells = \"1\"\n";
    refused(&lintel(other), &["`disc` has no cells"]);
    let twice = "[[action]]\nat_time = 0.1\non = \"lintel\"\ntake_cells = \"row == 1\"\n\
                 [[action]]\nwhen = \"x > 2\"\non = \"lintel\"\ntake_cells = \"row == 2\"\n";
    refused(&lintel(twice), &["in which order"]);
    // All cells at once: nothing is left, and on a condition it is one action.
    yard.write("case.toml", &lintel("[[action]]\nwhen = \"x > 1.5\"\non = \"lintel\"\ntake_cells = \"1\"\n"));
    yard.expect(0, "run case.toml");
}
