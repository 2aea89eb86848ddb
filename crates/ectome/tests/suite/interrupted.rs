//! Ctrl-C: the work stops, a sentence says so, and no half-written file is left.

use std::{
    path::Path,
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;
use rstest::rstest;

/// A ball of 327 680 triangles: every command below takes seconds over it.
fn ball(folder: &Path) {
    let scene = Scene::from(shapes::icosphere(1.0, 7));
    let bytes = glb::write(&scene, &glb::Options::default()).unwrap();
    std::fs::write(folder.join("ball.glb"), bytes).unwrap();
}

fn interrupt(child: &Child) {
    let pid = child.id().to_string();
    let sent = Command::new("kill").args(["-INT", &pid]).status();
    assert!(sent.unwrap().success());
}

/// Whether the program has said what Ctrl-C shall do, as `/proc` tells (proc(5), SigCgt).
fn catches(child: &Child) -> bool {
    const INTERRUPT: u64 = 1 << 1;
    let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap();
    let caught = status.lines().find_map(|l| l.strip_prefix("SigCgt:"));
    u64::from_str_radix(caught.unwrap().trim(), 16).unwrap() & INTERRUPT != 0
}

#[rstest]
#[case::cut(&["cut", "ball.glb", "--to", "900", "-o", "out.glb"])]
#[case::rebuild(&["rebuild", "ball.glb", "-o", "out.glb"])]
#[case::unwrap(&["unwrap", "ball.glb", "-o", "out.glb"])]
fn ctrl_c_stops_a_command_and_leaves_nothing(#[case] args: &[&str]) {
    let folder = tempfile::tempdir().unwrap();
    ball(folder.path());
    let child = Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .current_dir(folder.path())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let deadline = Instant::now() + Duration::from_secs(30);
    while !catches(&child) {
        assert!(Instant::now() < deadline, "it never listens");
        std::thread::sleep(Duration::from_millis(5));
    }
    interrupt(&child);
    let output = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(1), "{said}");
    assert!(said.contains("ectome: "), "{said}");
    let left: Vec<_> = std::fs::read_dir(folder.path()).unwrap().collect();
    assert_eq!(left.len(), 1, "{left:?}");
}
