//! An engine of a few lines of shell: its answers are written down beforehand, and what it was asked is kept.

use ironspin_link::EngineSpec;
use ironspin_model::{
    Body, BodyState, Conditions, DVec3, Engine, EngineError, Frame, Inertia, Material, Part, PlaneShape, Pose, World,
};
use serde_json::Value;
use tempfile::TempDir;

/// Reads a line, keeps it, and gives the next answer; `exit N`, `sleep` and `half TEXT` are done instead.
const SHELL: &str = r#"
cd "$(dirname "$0")"
echo "$$" >> started
n=0
while IFS= read -r line; do
    n=$((n+1))
    printf '%s\n' "$line" >> asked
    answer=$(sed -n "${n}p" answers)
    case "$answer" in
        "exit "*) echo "the crane fell" >&2; exit "${answer#exit }" ;;
        sleep) exec sleep 1000 ;;
        "half "*) printf '%s' "${answer#half }"; exit 0 ;;
        *) printf '%s\n' "$answer" ;;
    esac
done
"#;

/// What `hello` is answered in most scripts.
pub(crate) const HELLO: &str = r#"{"jsonrpc":"2.0","id":1,"result":{"protocol":1,"engine":{"name":"capstan","version":"7"},"spaces":[2],"shapes":["disc"],"features":["contacts","restore","ray"],"options":{"passes":{"about":"how often","default":3}}}}"#;
/// What `build` is answered for a world of one body.
pub(crate) const BUILT: &str = r#"{"jsonrpc":"2.0","id":2,"result":{"bodies":1}}"#;

pub(crate) struct Script {
    folder: TempDir,
}

impl Script {
    /// An engine that gives these answers, one to each line it is asked.
    pub(crate) fn new(answers: &[&str]) -> Script {
        let folder = TempDir::new().unwrap();
        std::fs::write(folder.path().join("engine.sh"), SHELL).unwrap();
        std::fs::write(folder.path().join("answers"), answers.join("\n") + "\n").unwrap();
        Script { folder }
    }

    pub(crate) fn spec(&self) -> EngineSpec {
        EngineSpec::read(&self.name()).unwrap()
    }

    /// As it is named on the command line.
    pub(crate) fn name(&self) -> String {
        format!("cmd:sh '{}'", self.folder.path().join("engine.sh").display())
    }

    fn kept(&self, file: &str) -> Vec<String> {
        let text = std::fs::read_to_string(self.folder.path().join(file)).unwrap_or_default();
        text.lines().map(str::to_owned).collect()
    }

    /// What it was asked so far, call after call.
    pub(crate) fn asked(&self) -> Vec<Value> {
        self.kept("asked").iter().map(|line| serde_json::from_str(line).unwrap()).collect()
    }

    /// How many processes of it were started.
    pub(crate) fn starts(&self) -> usize {
        self.kept("started").len()
    }
}

/// The answer to a call with a result.
pub(crate) fn result(id: usize, result: &str) -> String {
    format!(r#"{{"jsonrpc":"2.0","id":{id},"result":{result}}}"#)
}

/// A frame of one body at a height, as JSON.
pub(crate) fn frame(step: usize, y: f64) -> String {
    format!(r#"{{"step":{step},"state":[0,{y},0,0,0,0]}}"#)
}

/// One disc of 1 kg, 2 m up, for a second.
pub(crate) fn one_disc() -> World {
    let mut world = World { gravity: DVec3::new(0.0, -10.0, 0.0), ..World::planar(1.0) };
    world.materials.push(Material { name: "iron".into(), density: 1.0, friction: 0.5, restitution: 0.0 });
    world.bodies.push(Body {
        pose: Pose::at(DVec3::new(0.0, 2.0, 0.0)),
        mass: 1.0,
        inertia: Inertia::planar(0.5),
        parts: vec![Part::solid(PlaneShape::Disc(1.0), 0)],
        ..Body::plain("ball")
    });
    world
}

pub(crate) fn conditions() -> Conditions {
    Conditions::with_dt("0.1".parse().unwrap())
}

/// Frames of some steps of 0.1 s.
pub(crate) fn advance(engine: &mut dyn Engine, steps: usize) -> Result<Vec<Frame>, EngineError> {
    let mut frames = Vec::new();
    engine.advance(&vec![0.1; steps], &mut |frame| frames.push(frame.clone()))?;
    Ok(frames)
}

/// Height of the first body.
pub(crate) fn height(frame: &Frame) -> f64 {
    let state: &BodyState = &frame.bodies[0];
    state.pose.position.y
}
