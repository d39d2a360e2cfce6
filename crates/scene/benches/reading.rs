//! What it costs to read a scene of 100,000 bodies: `cargo bench -p ironspin-scene --bench reading`.

#![allow(clippy::print_stdout)]

use ironspin_scene::{Scene, Settings};
use std::time::Instant;

const SCENE: &str = r#"scene = 1
name  = "heap"
about = "A hundred thousand blocks."
[set]
rows = { value = 250, about = "rows" }
side = { value = 0.4, about = "edge" }
[world]
gravity = [0, -9.81]
duration = 1
[material.iron]
density = 7800
friction = 0.2
restitution = 0.4
[[body]]
name = "floor"
kind = "static"
shape = { half_plane = [0, 1] }
at = [0, 0]
material = "iron"
[[body]]
name = "block"
repeat = { row = "rows", column = 400 }
shape = { box = ["side", "side * (1 - 0.1 * random(row * 400 + column))"] }
at = ["column * 1.01 * side + 0.1 * (row % 2)", "(row + 0.5) * side"]
velocity = ["random(column) - 0.5", 0]
material = "iron"
"#;

fn main() {
    let mut seconds: Vec<f64> = (0..5)
        .map(|_| {
            let began = Instant::now();
            let scene = Scene::parse(SCENE, "heap.toml").expect("a scene");
            let setup = scene.resolve(&Settings::with_dt(1.0 / 60.0)).expect("a world");
            assert_eq!(setup.world.bodies.len(), 100_001);
            began.elapsed().as_secs_f64()
        })
        .collect();
    seconds.sort_by(f64::total_cmp);
    println!("100,000 bodies read, resolved and looked over for warnings: {:.2} s (median of 5)", seconds[2]);
    // Where the system reports it.
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    if let Some(line) = status.lines().find(|line| line.starts_with("VmHWM")) {
        println!("most memory at once: {}", line.trim_start_matches("VmHWM:").trim());
    }
}
