//! Surfaces in files beside a scene: masses against values that were computed independently, complaints, and bodies that lie on them.

use crate::space_oracles::cases;
use crate::util::{Yard, list, number};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Write;

/// Points and triangles.
type Lists = (Vec<[f64; 3]>, Vec<[usize; 3]>);

const HEAD: &str = "scene = 1\nname = \"casting\"\nabout = \"A casting.\"\nspace = 3\n[world]\ngravity = [0, -9.81, 0]\nduration = 1\n\
                    [material.iron]\ndensity = 7800\nfriction = 0.4\nrestitution = 0\n";

fn obj((points, faces): &Lists) -> String {
    let mut text = "# made of iron\no casting\n".to_owned();
    points.iter().for_each(|[x, y, z]| writeln!(text, "v {x:?} {y:?} {z:?}").unwrap());
    faces.iter().for_each(|[a, b, c]| writeln!(text, "f {}//1 {}//1 {}//1", a + 1, b + 1, c + 1).unwrap());
    text
}

fn ply((points, faces): &Lists) -> String {
    let mut text = format!(
        "ply\nformat ascii 1.0\nelement vertex {}\nproperty double x\nproperty double y\nproperty double z\nelement face {}\n\
         property list uchar int vertex_indices\nend_header\n",
        points.len(),
        faces.len()
    );
    points.iter().for_each(|[x, y, z]| writeln!(text, "{x:?} {y:?} {z:?}").unwrap());
    faces.iter().for_each(|[a, b, c]| writeln!(text, "3 {a} {b} {c}").unwrap());
    text
}

fn stl((points, faces): &Lists) -> String {
    let mut text = "solid casting\n".to_owned();
    for face in faces {
        text += "  facet normal 0 0 0\n    outer loop\n";
        face.iter().for_each(|&k| {
            let [x, y, z] = points[k];
            writeln!(text, "      vertex {x:e} {y:e} {z:e}").unwrap();
        });
        text += "    endloop\n  endfacet\n";
    }
    text + "endsolid casting\n"
}

/// Mass, centre and inertia of the solid in a file, by the resolved scene.
fn weighed(file: &str, text: &str, density: &Value) -> (f64, Vec<f64>, Vec<f64>) {
    let yard = Yard::new();
    yard.write(file, text);
    let body = format!(
        "[material.m]\ndensity = {density}\nfriction = 0\nrestitution = 0\n[[body]]\nname = \"b\"\nshape = {{ sphere = 1 }}\n\
         mass_from = \"{file}\"\nat = [0, 0, 0]\nmaterial = \"m\"\n"
    );
    yard.write("case.toml", &format!("{HEAD}{body}"));
    let shown: toml::Table = yard.expect(0, "scenes show case.toml --resolved").out.parse().unwrap();
    let floats = |key: &str| -> Vec<f64> {
        shown["body"][0][key].as_array().unwrap().iter().map(|part| part.as_float().unwrap()).collect()
    };
    (shown["body"][0]["mass"].as_float().unwrap(), floats("at"), floats("inertia"))
}

fn check(case: &Value, lists: &Lists, (mass, centre, inertia): (f64, &[f64], &[f64])) {
    let largest = inertia.iter().fold(0.0, |most: f64, part| most.max(part.abs()));
    for (file, text) in [("casting.obj", obj(lists)), ("casting.ply", ply(lists)), ("casting.stl", stl(lists))] {
        let found = weighed(file, &text, &case["inputs"]["rho"]);
        let close = |found: f64, expected: f64, scale: f64| {
            assert!((found - expected).abs() <= 1e-12 * scale, "{} {file}: {found} and not {expected}", case["id"]);
        };
        close(found.0, mass, mass);
        found.1.iter().zip(centre).for_each(|(&found, &expected)| close(found, expected, 1.0));
        found.2.iter().zip(inertia).for_each(|(&found, &expected)| close(found, expected, largest));
    }
}

#[test]
fn closed_surfaces_in_files_weigh_and_turn_as_the_solid_within() {
    for case in cases("f15", "mesh") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let points = inputs["points"].as_array().unwrap().iter().map(|point| [0, 1, 2].map(|k| number(&point[k])));
        let faces = inputs["faces"].as_array().unwrap().iter().map(|face| [0, 1, 2].map(|k| number(&face[k]) as usize));
        let lists = (points.collect(), faces.collect());
        check(&case, &lists, (number(&outputs["mass"]), &list(&outputs["centre"]), &list(&outputs["inertia"])));
    }
    for case in cases("f15", "icosphere") {
        let lists = icosphere(number(&case["inputs"]["radius"]), number(&case["inputs"]["level"]) as usize);
        let moment = number(&case["outputs"]["moment"]);
        let counts = (number(&case["outputs"]["points"]) as usize, number(&case["outputs"]["faces"]) as usize);
        assert_eq!((lists.0.len(), lists.1.len()), counts);
        check(&case, &lists, (number(&case["outputs"]["mass"]), &[0.0; 3], &[moment, moment, moment, 0.0, 0.0, 0.0]));
    }
    for kind in ["torusgrid", "latlong"] {
        for case in cases("f15", kind) {
            let inputs = &case["inputs"];
            let [n, m] = ["n_around", if kind == "latlong" { "n_belts" } else { "n_tube" }]
                .map(|key| number(&inputs[key]) as usize);
            let lists = match kind {
                "latlong" => latlong(number(&inputs["radius"]), n, m),
                _ => torus(number(&inputs["R"]), number(&inputs["r"]), n, m),
            };
            let [axis, across] = ["inertia_axis", "inertia_across"].map(|key| number(&case["outputs"][key]));
            check(&case, &lists, (number(&case["outputs"]["mass"]), &[0.0; 3], &[across, axis, across, 0.0, 0.0, 0.0]));
        }
    }
}

fn icosphere(radius: f64, level: usize) -> Lists {
    let golden = 0.5 * (1.0 + 5.0_f64.sqrt());
    let out = |p: [f64; 3]| {
        let length = p.iter().map(|x| x * x).sum::<f64>().sqrt();
        p.map(|x| radius * x / length)
    };
    let mut points: Vec<[f64; 3]> = Vec::new();
    for (a, b) in [(-1.0, golden), (1.0, golden), (-1.0, -golden), (1.0, -golden)] {
        points.extend([[a, b, 0.0], [0.0, a, b], [b, 0.0, a]].map(out));
    }
    let near = |a: [f64; 3], b: [f64; 3]| (0..3).map(|k| (a[k] - b[k]).powi(2)).sum::<f64>().sqrt() < 1.1 * radius;
    let mut faces = Vec::new();
    for (i, j, k) in (0..12).flat_map(|i| (0..12).flat_map(move |j| (0..12).map(move |k| (i, j, k)))) {
        let [p, q, r] = [points[i], points[j], points[k]];
        let volume = p[0] * (q[1] * r[2] - q[2] * r[1])
            + p[1] * (q[2] * r[0] - q[0] * r[2])
            + p[2] * (q[0] * r[1] - q[1] * r[0]);
        if i < j && i < k && j != k && near(p, q) && near(q, r) && near(r, p) && volume > 0.0 {
            faces.push([i, j, k]);
        }
    }
    for _ in 0..level {
        let mut middles = BTreeMap::new();
        let mut middle = |a: usize, b: usize, points: &mut Vec<[f64; 3]>| {
            *middles.entry((a.min(b), a.max(b))).or_insert_with(|| {
                points.push(out([0, 1, 2].map(|k| 0.5 * (points[a][k] + points[b][k]))));
                points.len() - 1
            })
        };
        let mut finer = Vec::new();
        for &[a, b, c] in &faces {
            let [ab, bc, ca] = [middle(a, b, &mut points), middle(b, c, &mut points), middle(c, a, &mut points)];
            finer.extend([[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]]);
        }
        faces = finer;
    }
    (points, faces)
}

fn torus(large: f64, small: f64, around: usize, tube: usize) -> Lists {
    let turn = |k: usize, of: usize| std::f64::consts::TAU * k as f64 / of as f64;
    let mut lists: Lists = Default::default();
    for i in 0..around {
        for j in 0..tube {
            let ((sin_a, cos_a), (sin_b, cos_b)) = (turn(i, around).sin_cos(), turn(j, tube).sin_cos());
            let arm = large + small * cos_b;
            lists.0.push([arm * cos_a, small * sin_b, arm * sin_a]);
            let at = |i: usize, j: usize| (i % around) * tube + j % tube;
            let corners = [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)];
            lists.1.extend([[corners[0], corners[1], corners[2]], [corners[0], corners[2], corners[3]]]);
        }
    }
    lists
}

fn latlong(radius: f64, around: usize, belts: usize) -> Lists {
    let mut lists: Lists = (vec![[0.0, radius, 0.0], [0.0, -radius, 0.0]], Vec::new());
    let at = |i: usize, j: usize| 2 + (j - 1) * around + i % around;
    for j in 1..belts {
        let (sin, cos) = (std::f64::consts::PI * j as f64 / belts as f64).sin_cos();
        for i in 0..around {
            let (sin_a, cos_a) = (std::f64::consts::TAU * i as f64 / around as f64).sin_cos();
            lists.0.push([radius * sin * cos_a, radius * cos, radius * sin * sin_a]);
            if j > 1 {
                lists
                    .1
                    .extend([[at(i, j - 1), at(i + 1, j - 1), at(i + 1, j)], [at(i, j - 1), at(i + 1, j), at(i, j)]]);
            }
        }
    }
    for i in 0..around {
        lists.1.extend([[0, at(i + 1, 1), at(i, 1)], [1, at(i, belts - 1), at(i + 1, belts - 1)]]);
    }
    lists
}

/// A box in millimetres with z up, of six faces in an OBJ file.
fn trough() -> String {
    let mut text = String::new();
    for k in 0..8 {
        let at = |bit: usize, size: i32| if k >> bit & 1 == 1 { size } else { 0 };
        writeln!(text, "v {} {} {}", at(0, 2000), at(1, 1000), at(2, 250)).unwrap();
    }
    text + "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n"
}

fn scene_on(mesh: &str) -> String {
    format!(
        "{HEAD}[[body]]\nname = \"trough\"\nkind = \"static\"\nshape = {mesh}\nat = [-1, 0, 0.5]\nmaterial = \"iron\"\n\
         [[body]]\nname = \"ingot\"\nshape = {{ box = [0.4, 0.2, 0.2] }}\nat = [0, 0.36, 0]\nmaterial = \"iron\"\n\
         [[claim]]\ngauge = \"value.y\"\nof = \"ingot\"\nwindow = [0.8, 1]\nequals = 0.35\nwithin = 0.002\n\
         because = \"it lies on the top at 0.25 m\"\n"
    )
}

#[test]
fn a_file_in_millimetres_with_z_up_carries_what_lies_on_it() {
    let yard = Yard::new();
    yard.write("trough.obj", &trough());
    yard.write("good.toml", &scene_on("{ mesh = { file = \"trough.obj\", scale = 0.001, up = \"z\" } }"));
    let checked = yard.expect(0, "scenes check good.toml");
    assert_eq!((checked.out.contains("ok"), checked.err.as_str()), (true, ""));
    yard.expect(0, "run good.toml");
    // As a hull of its points too, and its resolved form stands alone.
    yard.write("hull.toml", &scene_on("{ hull = { file = \"trough.obj\", scale = 0.001, up = \"z\" } }"));
    yard.expect(0, "run hull.toml");
    let resolved = yard.expect(0, "scenes show good.toml --resolved").out;
    let elsewhere = Yard::new();
    elsewhere.write("alone.toml", &resolved);
    elsewhere.expect(0, "run alone.toml");
    // Without the scale it is a thousand times too large.
    yard.write("large.toml", &scene_on("{ mesh = { file = \"trough.obj\", up = \"z\" } }"));
    let told = yard.expect(0, "scenes check large.toml");
    let said = told.out + &told.err;
    assert!(said.contains("`trough.obj` is 2000 m large") && said.contains("scale = 0.001"), "{said}");
}

#[test]
fn complaints_name_file_line_and_what_to_do() {
    let yard = Yard::new();
    yard.write("trough.obj", &trough());
    yard.write("broken.obj", &trough().replace("f 1 3 4 2", "f 1 2 4 3"));
    yard.write("open.obj", &trough().replace("f 5 6 8 7\n", ""));
    yard.write("words.obj", &format!("{}face 1 2 3\n", trough()));
    let told = |shape: &str, parts: &[&str]| {
        yard.write("case.toml", &scene_on(shape));
        let answer = yard.expect(2, "scenes check case.toml");
        parts.iter().for_each(|part| assert!(answer.err.contains(part), "{part}: {}", answer.err));
    };
    told("{ mesh = \"broken.obj\" }", &["broken.obj:9", "inside out", "mend = true"]);
    told("{ mesh = \"words.obj\" }", &["words.obj:15", "`face` is no word", "did you mean"]);
    told("{ mesh = \"trogh.obj\" }", &["case.toml", "cannot read `trogh.obj`", "did you mean `trough.obj`?"]);
    told("{ mesh = \"../trough.obj\" }", &["not a plain file name"]);
    told("{ mesh = \"trough.dae\" }", &["ending in .obj, .stl or .ply"]);
    told("{ mesh = { file = \"trough.obj\", scale = 0 } }", &["above zero"]);
    told("{ mesh = { file = \"trough.obj\", up = \"w\" } }", &["unknown word `w`"]);
    told("{ mesh = { points = [[0, 0, 0]], faces = [], mend = true } }", &["for a surface in a `file`"]);
    told("{ mesh = { points = [[0, 0, 0]] } }", &["one of them is missing"]);
    // What is mended is counted; what is open is told.
    let warned = |shape: &str, part: &str| {
        yard.write("case.toml", &scene_on(shape));
        let answer = yard.expect(0, "scenes check case.toml");
        let said = answer.out + &answer.err;
        assert!(said.contains(part), "{said}");
    };
    warned(
        "{ mesh = { file = \"broken.obj\", scale = 0.001, mend = true } }",
        "`broken.obj` was mended: 2 faces turned",
    );
    warned("{ mesh = { file = \"open.obj\", scale = 0.001 } }", "`open.obj` has 1 open rim");
    // A body that moves needs a volume.
    yard.write(
        "case.toml",
        &scene_on("{ box = [2, 1, 1] }").replace("[0.4, 0.2, 0.2] }", "[0.4, 0.2, 0.2] }\nmass_from = \"open.obj\""),
    );
    let answer = yard.expect(2, "scenes check case.toml");
    assert!(
        answer.err.contains("open.obj:12") && answer.err.contains("not closed, and a volume is needed"),
        "{}",
        answer.err
    );
    yard.write(
        "case.toml",
        &scene_on("{ box = [2, 1, 1] }").replace("{ box = [0.4, 0.2, 0.2] }", "{ mesh = \"trough.obj\" }"),
    );
    assert!(yard.expect(2, "scenes check case.toml").err.contains("mass_from"));
}

#[test]
fn a_file_gives_the_skin_of_a_soft_body() {
    let yard = Yard::new();
    yard.write("trough.obj", &trough());
    yard.write("open.obj", &trough().replace("f 5 6 8 7\n", ""));
    // As much gas as the pressure outside bears at the built volume: it stays as it is.
    let scene = |file: &str| {
        format!(
            "{HEAD}[[soft]]\nname = \"bladder\"\nmade_of = {{ mesh = {{ file = \"{file}\", scale = 0.001, up = \"z\" }} }}\n\
             at = [0, 3, 0]\nmaterial = \"iron\"\nmass = 1\nstiffness = 200\nradius = 0.01\ngravity_factor = 0\n\
             pressure = {{ amount = 50, outside = 100 }}\n\
             [[claim]]\ngauge = \"volume.change\"\nof = \"bladder\"\nat_most = 1e-9\nbecause = \"half a cubic metre at 100 Pa\"\n\
             [[claim]]\ngauge = \"value.y\"\nof = \"bladder.node[4]\"\nwindow = [0.9, 1]\nequals = 3.25\nwithin = 1e-9\n\
             because = \"the fifth point of the file is 250 mm up\"\n"
        )
    };
    yard.write("skin.toml", &scene("trough.obj"));
    yard.expect(0, "run skin.toml");
    yard.write("open.toml", &scene("open.obj"));
    let told = yard.expect(2, "scenes check open.toml").err;
    assert!(told.contains("not closed"), "{told}");
}
