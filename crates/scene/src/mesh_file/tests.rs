use super::polygons::{Fault, Polygons};
use super::surface::{Mended, checked};
use super::{Form, Need, obj, ply, stl};
use proptest::prelude::*;

/// A unit cube as OBJ; faces of four corners.
const CUBE: &str = "# an ingot
o ingot
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0 0 1
v 1 0 1
v 1 1 1
v 0 1 1
f 1 4 3 2
f 5 6 7 8
f 1 2 6 5
f 2 3 7 6
f 3 4 8 7
f 4 1 5 8
";

fn volume_of(text: &str) -> Result<(), Fault> {
    checked(&obj::read(text).unwrap(), Need::Volume, false).map(|_| ())
}

/// What is said of a cube with some lines more or less.
fn complaint(text: &str) -> Fault {
    volume_of(text).unwrap_err()
}

#[test]
fn a_cube_is_read_alike_from_every_form_of_file() {
    let expected = checked(&obj::read(CUBE).unwrap(), Need::Volume, false).unwrap();
    assert_eq!((expected.points.len(), expected.faces.len(), expected.rims), (8, 12, 0));
    let corner = |k: u32| expected.points[k as usize];
    let mut text = "solid ingot\n".to_owned();
    let mut bytes = vec![b' '; 80];
    bytes.extend((expected.faces.len() as u32).to_le_bytes());
    for face in &expected.faces {
        text += "facet normal 0 0 0\nouter loop\n";
        bytes.extend([0; 12]);
        for p in face.map(corner) {
            text += &format!("vertex {} {} {}\n", p.x, p.y, p.z);
            p.to_array().iter().for_each(|&number| bytes.extend((number as f32).to_le_bytes()));
        }
        text += "endloop\nendfacet\n";
        bytes.extend([0; 2]);
    }
    for form in [text.as_bytes(), &bytes] {
        let found = checked(&stl::read(form).unwrap(), Need::Volume, false).unwrap();
        let corners = |surface: &super::Surface| {
            surface.faces.iter().map(|face| face.map(|k| surface.points[k as usize])).collect::<Vec<_>>()
        };
        assert_eq!(corners(&found), corners(&expected));
    }
    for form in ["ascii", "binary_little_endian", "binary_big_endian"] {
        let found = ply::read(&cube_as_ply(form, &expected)).unwrap();
        assert_eq!(checked(&found, Need::Volume, false).unwrap(), expected, "{form}");
    }
}

fn cube_as_ply(form: &str, surface: &super::Surface) -> Vec<u8> {
    let mut file = format!(
        "ply\nformat {form} 1.0\ncomment cast on the quay\nelement vertex {}\nproperty double x\nproperty float heat\n\
         property double y\nproperty double z\nelement face {}\nproperty list uchar short vertex_indices\nend_header\n",
        surface.points.len(),
        surface.faces.len()
    )
    .into_bytes();
    let big = form == "binary_big_endian";
    let mut put = |bytes: Vec<u8>| if big { file.extend(bytes.into_iter().rev()) } else { file.extend(bytes) };
    if form == "ascii" {
        surface.points.iter().for_each(|p| put(format!("{} 20.5 {} {}\n", p.x, p.y, p.z).into_bytes()));
        surface.faces.iter().for_each(|[a, b, c]| put(format!("3 {a} {b} {c}\n").into_bytes()));
        return file;
    }
    for p in &surface.points {
        put(p.x.to_le_bytes().to_vec());
        put(20.5_f32.to_le_bytes().to_vec());
        put(p.y.to_le_bytes().to_vec());
        put(p.z.to_le_bytes().to_vec());
    }
    for face in &surface.faces {
        put(vec![3]);
        face.iter().for_each(|&k| put((k as u16).to_le_bytes().to_vec()));
    }
    file
}

#[test]
fn every_mistake_is_told_with_its_line_and_what_to_do() {
    let tell = |text: String, line: u32, part: &str| {
        let fault = complaint(&text);
        assert_eq!((fault.line, fault.message.contains(part)), (line, true), "{fault:?}");
        assert!(fault.help.is_some(), "{fault:?}");
    };
    // A point in the place of another, used by a face.
    tell(CUBE.replace("f 4 1 5 8", "v 0 0 1\nf 4 1 9 8"), 16, "in the place of point 5 (line 7)");
    tell(format!("{CUBE}f 1 2 2\n"), 17, "face 7 (line 17) has no area");
    tell(format!("{CUBE}f 3 2 1\n"), 17, "has the corners of face 1 (line 11)");
    tell(
        format!("{CUBE}v 0.5 2 0.5\nf 3 4 9\n"),
        18,
        "has 3 faces: face 1 (line 11), face 5 (line 15), face 7 (line 18)",
    );
    tell(CUBE.replace("f 5 6 7 8\n", ""), 15, "the surface has a hole; the first has 4 edges");
    tell(CUBE.replace("f 1 4 3 2", "f 1 2 3 4"), 11, "face 1 (line 11) is inside out, and 1 more");
    let all_turned = CUBE.lines().map(|line| match line.strip_prefix("f ") {
        Some(corners) => format!("f {}", corners.split(' ').rev().collect::<Vec<_>>().join(" ")),
        None => line.to_owned(),
    });
    tell(all_turned.collect::<Vec<_>>().join("\n"), 11, "is inside out, and 11 more");
    // A second cube whose edges run through the middles of faces and diagonals of the first.
    let moved = |by: f64| {
        let points = CUBE.lines().filter_map(|line| line.strip_prefix("v ")).map(|numbers| {
            numbers.split(' ').map(|n| (n.parse::<f64>().unwrap() + by).to_string()).collect::<Vec<_>>().join(" ")
        });
        let faces = CUBE.lines().filter_map(|line| line.strip_prefix("f ")).map(|corners| {
            corners.split(' ').map(|k| (k.parse::<usize>().unwrap() + 8).to_string()).collect::<Vec<_>>().join(" ")
        });
        let points: Vec<String> = points.map(|point| format!("v {point}\n")).collect();
        let faces: Vec<String> = faces.map(|face| format!("f {face}\n")).collect();
        format!("{CUBE}{}{}", points.concat(), faces.concat())
    };
    assert!(complaint(&moved(0.5)).message.ends_with("cross"));
    assert_eq!(volume_of(&moved(1.5)), Ok(()));
}

/// A cube from -1 to 2 whose sides are squares of so many along each edge, as OBJ, its points numbered from 1.
fn fine_cube(along: usize) -> String {
    let mut text = String::new();
    let mut number = 0;
    for axis in 0..3 {
        for (end, flip) in [(-1.0, true), (2.0, false)] {
            let place = |i: usize, j: usize| {
                let mut place = [0.0; 3];
                place[axis] = end;
                place[(axis + 1) % 3] = -1.0 + 3.0 * i as f64 / along as f64;
                place[(axis + 2) % 3] = -1.0 + 3.0 * j as f64 / along as f64;
                format!("v {} {} {}\n", place[0], place[1], place[2])
            };
            text.extend((0..=along).flat_map(|i| (0..=along).map(move |j| (i, j))).map(|(i, j)| place(i, j)));
            for (i, j) in (0..along).flat_map(|i| (0..along).map(move |j| (i, j))) {
                let at = |i: usize, j: usize| number + 1 + i * (along + 1) + j;
                let mut face = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
                if flip {
                    face.reverse();
                }
                text += &format!("f {} {} {} {}\n", face[0], face[1], face[2], face[3]);
            }
            number += (along + 1) * (along + 1);
        }
    }
    text
}

#[test]
fn a_cavity_is_one_in_a_shell_of_many_faces_too() {
    let inner = "v 0.3 0.3 0.3\nv 0.6 0.3 0.3\nv 0.3 0.6 0.3\nv 0.3 0.3 0.6\n";
    let inwards = "f -4 -3 -2\nf -4 -1 -3\nf -3 -1 -2\nf -4 -2 -1\n";
    // 69,312 triangles.
    let text = format!("{}{inner}{inwards}", fine_cube(76));
    let checked = checked(&obj::read(&text).unwrap(), Need::Volume, true).unwrap();
    assert_eq!((checked.faces.len(), checked.mended.turned), (12 * 76 * 76 + 4, 0));
}

#[test]
fn a_cavity_looks_inwards_and_a_sheet_may_be_open() {
    let inner = "v 0.3 0.3 0.3\nv 0.6 0.3 0.3\nv 0.3 0.6 0.3\nv 0.3 0.3 0.6\n";
    let inwards = "f 9 10 11\nf 9 12 10\nf 10 12 11\nf 9 11 12\n";
    let outwards = "f 9 11 10\nf 9 10 12\nf 10 11 12\nf 9 12 11\n";
    assert_eq!(volume_of(&format!("{CUBE}{inner}{inwards}")), Ok(()));
    assert!(complaint(&format!("{CUBE}{inner}{outwards}")).message.contains("inside out"));
    let sheet = obj::read("v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nf 4 3 2 1\n").unwrap();
    assert_eq!(checked(&sheet, Need::Surface, false).unwrap().rims, 1);
    // A band with half a twist has one side.
    let band: String = (0..6)
        .map(|i| {
            let (turn, tilt) = (f64::from(i) * 60_f64.to_radians(), f64::from(i) * 30_f64.to_radians());
            let at = |side: f64| {
                let r = 2.0 + side * tilt.cos();
                format!("v {} {} {}\n", r * turn.cos(), side * tilt.sin(), r * turn.sin())
            };
            at(0.5) + &at(-0.5)
        })
        .chain((0..6).map(|i| match i {
            5 => "f 11 12 1\nf 11 1 2\n".to_owned(),
            _ => format!("f {} {} {}\nf {} {} {}\n", 2 * i + 1, 2 * i + 2, 2 * i + 4, 2 * i + 1, 2 * i + 4, 2 * i + 3),
        }))
        .collect();
    let fault = checked(&obj::read(&band).unwrap(), Need::Surface, true).unwrap_err();
    assert!(fault.message.contains("one side"), "{fault:?}");
}

#[test]
fn mending_merges_drops_turns_and_counts() {
    let broken = CUBE.replace("f 4 1 5 8", "v 0 0 1.0000001\nv 5 5 5\nf 4 1 9 8").replace("f 1 4 3 2", "f 1 2 3 4");
    let broken = format!("{broken}f 1 2 2\nf 3 7 2\n");
    let mended = checked(&obj::read(&broken).unwrap(), Need::Volume, true).unwrap();
    assert_eq!(mended.mended, Mended { merged: 1, flat: 1, repeated: 1, turned: 2 });
    assert_eq!(mended.points, checked(&obj::read(CUBE).unwrap(), Need::Volume, false).unwrap().points);
    assert_eq!(
        mended.mended.words().unwrap(),
        "1 doubled point merged, 1 face without area dropped, 1 repeated face dropped, 2 faces turned"
    );
}

#[test]
fn what_is_no_file_of_its_form_is_refused() {
    let refused = |found: Result<Polygons, Fault>, part: &str| {
        let fault = found.unwrap_err();
        assert!(fault.message.contains(part), "{fault:?}");
    };
    refused(obj::read("v 1 2\n"), "fewer");
    refused(obj::read("v 1 2 x\n"), "`x`");
    refused(obj::read("v 0 0 0\nf 1 2 3\n"), "names point 2");
    refused(obj::read("v 0 0 0\nf 1 1 0\n"), "found `0`");
    refused(obj::read("vertx 0 0 0\n"), "`vertx` is no word");
    refused(obj::read("v 1e999 0 0\n"), "not finite");
    refused(obj::read("v 0 0 0\nv 2 0 0\nv 0.1 0 0.1\nv 0 0 2\nf 2 3 4 1\n"), "not convex");
    refused(stl::read(b"solid a\nvertex 0 0\n"), "fewer");
    refused(stl::read(b"solid a\nfacet normal 0 0 1\nendfacet"), "this has 0");
    refused(stl::read(&[1; 90]), "hold fewer");
    refused(stl::read(b"ply"), "3 bytes");
    refused(ply::read(b"solid"), "first line");
    refused(ply::read(b"ply\nformat ascii 1.0\nelement vertex 9999999999\n"), "9999999999 times");
    refused(ply::read(b"ply\nelement vertex 1\nproperty float x\nend_header\n"), "`format`");
    let head = "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nelement face 1\n\
                property list uchar int vertex_indices\nend_header\n";
    refused(ply::read(format!("{head}1 2 3\n3 0 0 7\n").as_bytes()), "names point 7");
    refused(ply::read(format!("{head}1 2\n").as_bytes()), "fewer values");
    refused(ply::read(format!("{head}1 2 3\n").as_bytes()), "ends before");
    refused(ply::read(format!("{head}1 2 3\n9999 1\n").as_bytes()), "a list");
    assert_eq!((Form::of("QUAY.STL"), Form::of("quay.dae"), Form::of("quay")), (Some(Form::Stl), None, None));
}

#[test]
fn the_contents_of_a_file_belong_to_the_identity_of_a_scene() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("quay.toml");
    std::fs::write(
        &path,
        "scene = 1\nname = \"quay\"\nabout = \"A quay.\"\nspace = 3\n[world]\ngravity = [0, -9.81, 0]\nduration = 1\n\
         [material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n[[body]]\nname = \"quay\"\nkind = \"static\"\nat = [0, 0, 0]\n\
         material = \"iron\"\nshape = { mesh = \"quay.stl\" }\n",
    )
    .unwrap();
    let identity = |height: f32| {
        let mut bytes = vec![0; 80];
        bytes.extend(1_u32.to_le_bytes());
        let corners = [0.0, 0.0, 0.0, 0.0, height, 0.0, 1.0, height, 0.0, 0.0, height, 1.0_f32];
        corners.iter().for_each(|number| bytes.extend(number.to_le_bytes()));
        bytes.extend([0; 2]);
        std::fs::write(folder.path().join("quay.stl"), bytes).unwrap();
        let scene = crate::Scene::open(path.to_str().unwrap()).unwrap();
        scene.texts().map(str::to_owned).collect::<Vec<_>>()
    };
    assert_eq!(identity(1.0), identity(1.0));
    assert_ne!(identity(1.0), identity(1.5));
}

proptest! {
    #[test]
    fn bytes_of_strangers_neither_panic_nor_hang(
        bytes in proptest::collection::vec(any::<u8>(), 0..400),
        head in 0..5_usize,
        cut in 0..200_usize,
    ) {
        let heads: [&[u8]; 5] = [
            b"", b"solid ", b"ply\nformat ascii 1.0\n", CUBE.as_bytes(),
            b"ply\nformat binary_little_endian 1.0\nelement vertex 5\nproperty char x\nproperty char y\nproperty char z\n\
              element face 4\nproperty list uchar uchar vertex_index\nend_header\n",
        ];
        let mut file = heads[head].to_vec();
        file.truncate(file.len() - cut.min(file.len() / 4));
        file.extend(bytes);
        let found = [obj::read(&String::from_utf8_lossy(&file)), stl::read(&file), ply::read(&file)];
        for polygons in found.into_iter().flatten() {
            for (need, mend) in [(Need::Volume, false), (Need::Surface, true)] {
                let _ = checked(&polygons, need, mend);
            }
        }
    }

    #[test]
    fn random_triangles_neither_panic_nor_hang(
        points in proptest::collection::vec((-3..4_i8, -3..4_i8, -3..4_i8), 3..20),
        faces in proptest::collection::vec((0..20_u32, 0..20_u32, 0..20_u32), 1..60),
        size in prop_oneof![Just(1.0), Just(1e-300), Just(1e300), Just(1e15)],
    ) {
        let mut text = String::new();
        points.iter().for_each(|&(x, y, z)| {
            text += &format!("v {:e} {:e} {:e}\n", f64::from(x) * size, f64::from(y) * size, f64::from(z) * size);
        });
        let count = points.len() as u32;
        faces.iter().for_each(|&(a, b, c)| text += &format!("f {} {} {}\n", a % count + 1, b % count + 1, c % count + 1));
        if let Ok(polygons) = obj::read(&text) {
            let _ = checked(&polygons, Need::Surface, false);
            if let Ok(surface) = checked(&polygons, Need::Volume, true) {
                prop_assert_eq!(surface.rims, 0);
            }
        }
    }
}
