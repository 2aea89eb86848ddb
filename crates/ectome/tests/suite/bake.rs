//! `ectome bake` as a pipeline sees it: files, names, report, refusals.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use rstest::rstest;
use serde_json::Value;

fn ectome(args: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_ectome"));
    command.args(args).output().unwrap()
}

/// A plate of `n` × `n` squares with waves of a height, as OBJ.
fn plate(folder: &Path, name: &str, n: usize, height: f64, uvs: bool) -> PathBuf {
    let mut obj = "o plate\n".to_owned();
    for j in 0..=n {
        for i in 0..=n {
            let (u, v) = (i as f64 / n as f64, j as f64 / n as f64);
            let y = height * (12.0 * u).sin() * (12.0 * v).cos();
            obj += &format!("v {u} {y} {v}\n");
            if uvs {
                obj += &format!("vt {u} {}\n", 1.0 - v);
            }
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i + 1;
            let corners = [a, a + n + 1, a + n + 2, a + 1];
            let corner = |c: &usize| {
                if uvs {
                    format!("{c}/{c}")
                } else {
                    format!("{c}")
                }
            };
            obj += &format!(
                "f {}\n",
                corners.iter().map(corner).collect::<Vec<_>>().join(" ")
            );
        }
    }
    let path = folder.join(name);
    std::fs::write(&path, obj).unwrap();
    path
}

#[test]
fn maps_and_what_they_mean_are_written() {
    let folder = tempfile::tempdir().unwrap();
    let high = plate(folder.path(), "high.obj", 120, 0.02, false);
    let low = plate(folder.path(), "low.obj", 2, 0.0, true);
    let out = folder.path().join("maps");
    let [high, low, to] = [&high, &low, &out].map(|p| p.to_str().unwrap());
    let done = ectome(&[
        "bake",
        high,
        low,
        "--maps",
        "normal,height,curvature",
        "--size",
        "64",
        "--padding",
        "2",
        "--bits",
        "16",
        "--green",
        "down",
        "-o",
        to,
    ]);
    assert!(
        done.status.success(),
        "{}",
        String::from_utf8_lossy(&done.stderr)
    );
    let report: Value =
        serde_json::from_slice(&std::fs::read(out.join("bake.json")).unwrap()).unwrap();
    for (map, channels) in [("normal", 3), ("height", 1), ("curvature", 1)] {
        let picture = image::open(out.join(format!("low_{map}.png"))).unwrap();
        assert_eq!((picture.width(), picture.height()), (64, 64));
        assert_eq!(usize::from(picture.color().channel_count()), channels);
        let said = &report["maps"][map];
        assert_eq!((&said["bits"], &said["misses"]), (&16.into(), &0.into()));
        assert_eq!(said["colour_space"], "linear");
        assert!(said["rays"].as_u64().unwrap() >= 64 * 64 * 4);
        assert!(said["seconds"].as_f64().unwrap() > 0.0);
    }
    assert_eq!(report["maps"]["normal"]["green"], "down");
    let range = report["maps"]["height"]["range_m"][1].as_f64().unwrap();
    assert!((range - 0.02).abs() < 2e-3, "{range}");
    assert!(report["maps"]["curvature"]["radius_m"].as_f64().unwrap() > 0.0);
}

#[rstest]
#[case::no_uvs(&[], 1, "unwrap it first")]
#[case::no_such_map(&["--maps", "shine"], 2, "normal_object")]
#[case::no_such_samples(&["--samples", "5"], 2, "1, 4, 9 or 16")]
#[case::no_reach(&["--reach", "far"], 2, "auto or a number")]
fn what_cannot_be_baked_is_said(#[case] more: &[&str], #[case] status: i32, #[case] says: &str) {
    let folder = tempfile::tempdir().unwrap();
    let high = plate(folder.path(), "high.obj", 8, 0.02, false);
    let low = plate(folder.path(), "low.obj", 2, 0.0, false);
    let out = folder.path().join("maps");
    let [high, low, to] = [&high, &low, &out].map(|p| p.to_str().unwrap());
    let done = ectome(&[&["bake", high, low, "-o", to], more].concat());
    assert_eq!(done.status.code(), Some(status));
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(said.contains(says), "{said}");
    assert!(!out.exists());
}

/// With --dress the low mesh comes along: its maps, the tangents they were baked with, and normals, which the file had not.
#[test]
fn the_low_mesh_is_dressed_in_its_maps() {
    let folder = tempfile::tempdir().unwrap();
    let high = plate(folder.path(), "high.obj", 60, 0.02, false);
    let low = plate(folder.path(), "low.obj", 2, 0.0, true);
    let out = folder.path().join("maps");
    let [high, low, to] = [&high, &low, &out].map(|p| p.to_str().unwrap());
    let done = ectome(&["bake", high, low, "--size", "64", "--dress", "-o", to]);
    assert!(done.status.success(), "{done:?}");
    let bytes = std::fs::read(out.join("low_baked.glb")).unwrap();
    let text = String::from_utf8_lossy(&bytes);
    for name in ["NORMAL", "TANGENT", "normalTexture"] {
        assert!(text.contains(&format!("\"{name}\"")), "{name}");
    }
}
