//! The command line as a pipeline sees it: exit statuses, files, reports.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use rstest::rstest;
use serde_json::Value;

fn ectome(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .output()
        .unwrap()
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

fn json(path: &Path) -> Value {
    serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap()
}

/// A lat-long globe with a UV seam, a material and a checker texture, written as OBJ with companions.
fn globe(folder: &Path, columns: usize, rows: usize) -> PathBuf {
    let mut obj = String::from("mtllib globe.mtl\no buoy\nusemtl paint\n");
    for j in 0..=rows {
        for i in 0..=columns {
            let (u, v) = (i as f64 / columns as f64, j as f64 / rows as f64);
            let (turn, tilt) = (
                std::f64::consts::TAU * (i % columns) as f64 / columns as f64,
                std::f64::consts::PI * v,
            );
            let ring = if j == 0 || j == rows { 0.0 } else { tilt.sin() };
            let r = 1.0 + 0.05 * (turn * 5.0).sin() * (tilt * 3.0).sin() * ring;
            obj += &format!(
                "v {} {} {}\nvt {u} {}\n",
                r * ring * turn.cos(),
                r * tilt.cos(),
                -r * ring * turn.sin(),
                1.0 - v
            );
        }
    }
    let w = columns + 1;
    for j in 0..rows {
        for i in 0..columns {
            let a = j * w + i + 1;
            let (b, c, d) = (a + 1, a + w, a + w + 1);
            if j > 0 {
                obj += &format!("f {a}/{a} {d}/{d} {b}/{b}\n");
            }
            if j + 1 < rows {
                obj += &format!("f {a}/{a} {c}/{c} {d}/{d}\n");
            }
        }
    }
    let path = folder.join("globe.obj");
    std::fs::write(&path, obj).unwrap();
    std::fs::write(
        folder.join("globe.mtl"),
        "newmtl paint\nKd 0.8 0.7 0.6\nmap_Kd paint.png\n",
    )
    .unwrap();
    let picture = image::RgbImage::from_fn(64, 32, |x, y| {
        image::Rgb(if (x / 4 + y / 4) % 2 == 0 {
            [200, 180, 90]
        } else {
            [40, 60, 70]
        })
    });
    picture.save(folder.join("paint.png")).unwrap();
    path
}

#[test]
fn cut_compare_and_chain_agree_with_each_other() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 120, 60);
    let out = folder.path().join("low.glb");
    let report = folder.path().join("r.json");
    let done = ectome(&[
        "cut",
        text(&source),
        "--to",
        "900",
        "-o",
        text(&out),
        "--report",
        text(&report),
    ]);
    assert!(done.status.success(), "{done:?}");
    let report = json(&report);
    let after = report["triangles_after"].as_u64().unwrap();
    assert!((898..=900).contains(&after));
    assert_eq!(report["triangles_before"], 14_160);
    assert_eq!(report["target"], 900);
    assert!(report["peak_bytes"].as_u64().unwrap() > 0);

    let compared = ectome(&["compare", text(&source), text(&out), "--json"]);
    let compared: Value = serde_json::from_slice(&compared.stdout).unwrap();
    assert_eq!(compared["low"]["triangles"], after);
    assert_eq!(compared["low"]["open_edges"], 0, "the seam is closed");
    assert_eq!(compared["low"]["nonmanifold_edges"], 0);
    assert_eq!(compared["flipped_faces"], 0);
    assert!(compared["samples"].as_u64().unwrap() >= 100_000);
    assert!(
        compared["deviation_max_percent_of_diagonal"]
            .as_f64()
            .unwrap()
            < 1.0
    );

    let inspected = ectome(&["inspect", text(&out), "--json"]);
    let inspected: Value = serde_json::from_slice(&inspected.stdout).unwrap();
    assert_eq!(inspected["triangles"], after);
    assert_eq!(inspected["objects"][0]["name"], "buoy");
    assert_eq!(inspected["materials"][0], "paint");
    assert_eq!(inspected["textures"][0]["width"], 64);
    assert_eq!(inspected["uv_islands"], 1);

    let lods = folder.path().join("lods");
    let done = ectome(&[
        "chain",
        text(&source),
        "--tiers",
        "2000,1000,500",
        "-o",
        text(&lods),
    ]);
    assert!(done.status.success(), "{done:?}");
    let chain = json(&lods.join("chain.json"));
    let switches: Vec<f64> = chain["tiers"]
        .as_array()
        .unwrap()
        .iter()
        .map(|t| t["switch_distance_m"].as_f64().unwrap())
        .collect();
    assert!(switches.is_sorted_by(|a, b| a < b), "{switches:?}");
    for (n, limit) in [2000, 1000, 500].into_iter().enumerate() {
        let tier = &chain["tiers"][n];
        let triangles = tier["triangles"].as_u64().unwrap();
        assert!(triangles <= limit && triangles * 100 >= limit * 97);
        assert_eq!(tier["limit"], limit);
        assert_ne!(tier["verdict"], "over");
        let file = lods.join(format!("globe_LOD{n}.glb"));
        let inspected = ectome(&["inspect", text(&file), "--json"]);
        let inspected: Value = serde_json::from_slice(&inspected.stdout).unwrap();
        assert_eq!(inspected["triangles"], triangles);
        assert_eq!(inspected["objects"][0]["name"], format!("buoy_LOD{n}"));
    }
}

#[test]
fn a_brief_sets_the_tiers() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 40, 20);
    let brief = folder.path().join("brief.toml");
    std::fs::write(
        &brief,
        "name = \"Buoy\"\n[[tier]]\ntriangles = 400\nnearest_m = 2.0\n",
    )
    .unwrap();
    let out = folder.path().join("out");
    let done = ectome(&[
        "chain",
        text(&source),
        "--brief",
        text(&brief),
        "-o",
        text(&out),
    ]);
    assert!(done.status.success(), "{done:?}");
    let chain = json(&out.join("chain.json"));
    assert_eq!(chain["brief"], "Buoy");
    let tier = &chain["tiers"][0];
    assert!(tier["outline_px"].as_f64().unwrap() > 0.0);
    assert!(
        tier["says"].as_str().unwrap().contains("at 2.0 m, limit 2"),
        "{tier}"
    );
    assert!(out.join("globe_LOD0.glb").exists());
    assert!(!out.join("globe_LOD1.glb").exists());
}

#[test]
fn guards_attention_and_flat_areas_have_their_options() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 60, 30);
    let out = folder.path().join("low.glb");
    let cut = |options: &[&str]| {
        let mut args = vec!["cut", text(&source), "-o", text(&out)];
        args.extend(options);
        ectome(&args)
    };
    // The seam has 31 points; with it guarded a cut to 40 triangles is held, and says by what.
    let held = cut(&["--to", "40", "--keep", "seams"]);
    assert_eq!(held.status.code(), Some(1));
    let said = String::from_utf8(held.stderr).unwrap();
    assert!(said.contains("held by UV seams"), "{said}");
    assert!(!out.exists());
    let shifted = cut(&["--to", "400", "--attention", "outline=3,uvs=2"]);
    assert!(shifted.status.success(), "{shifted:?}");
    // Nothing of a bumpy globe is flat.
    let flat = cut(&["--flat"]);
    assert!(flat.status.success(), "{flat:?}");
    let inspected = ectome(&["inspect", text(&out), "--json"]);
    let inspected: Value = serde_json::from_slice(&inspected.stdout).unwrap();
    assert_eq!(inspected["triangles"], 60 * 29 * 2);
    let odd = cut(&["--flat", "--faces", "circles"]);
    assert!(
        String::from_utf8(odd.stderr)
            .unwrap()
            .contains("triangles, ngons or quads")
    );
    for wrong in [["--keep", "everything"], ["--attention", "outline=much"]] {
        let refused = cut(&["--to", "400", wrong[0], wrong[1]]);
        assert_eq!(refused.status.code(), Some(2));
    }
}

/// A share of the source is never more than that, and a distance is held: as `compare` measures it between the files, which is
/// not what cut them.
#[test]
fn a_share_and_a_distance_are_held() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 60, 30);
    let out = folder.path().join("out.glb");
    let cut = |options: &[&str]| {
        let mut args = vec!["cut", text(&source), "-o", text(&out)];
        args.extend(options);
        let done = ectome(&args);
        assert!(done.status.success(), "{done:?}");
        let compared = ectome(&["compare", text(&source), text(&out), "--json"]);
        serde_json::from_slice::<Value>(&compared.stdout).unwrap()
    };
    let all = 60.0 * 29.0 * 2.0;
    for share in ["50%", "12.5", "3 %"] {
        let report = cut(&["--share", share]);
        let percent: f64 = share.trim_end_matches(['%', ' ']).parse().unwrap();
        let left = report["low"]["triangles"].as_f64().unwrap();
        assert!(left <= all * percent / 100.0, "{share}: {left}");
        assert!(left > all * percent / 100.0 - 4.0, "{share}: {left}");
    }
    let mut before = f64::INFINITY;
    for within in ["5", "20", "80"] {
        let report = cut(&["--within", within]);
        let off = report["deviation_max_mm"].as_f64().unwrap();
        assert!(off <= within.parse::<f64>().unwrap(), "{within}: {off}");
        // A wider distance takes fewer triangles.
        let left = report["low"]["triangles"].as_f64().unwrap();
        assert!(left < before, "{within}: {left} after {before}");
        before = left;
    }
    for wrong in [["--share", "0"], ["--share", "101%"], ["--within", "-1"]] {
        let refused = ectome(&["cut", text(&source), wrong[0], wrong[1], "-o", text(&out)]);
        assert_eq!(refused.status.code(), Some(2), "{wrong:?}: {refused:?}");
    }
}

/// A frame of cells: merged, its two faces with a hole come down to the fewest n-gons, and the OBJ holds them.
#[test]
fn flat_areas_become_ngons_and_quads_in_an_obj() {
    let folder = tempfile::tempdir().unwrap();
    let (source, out) = (
        folder.path().join("frame.obj"),
        folder.path().join("out.obj"),
    );
    // Five by five cells of a plane without the middle one.
    let mut lines = String::new();
    for i in 0..36 {
        lines += &format!("v {} {} 0\n", i % 6, i / 6);
    }
    for i in (0..25).filter(|i| *i != 12) {
        let first = i / 5 * 6 + i % 5 + 1;
        lines += &format!("f {} {} {} {}\n", first, first + 1, first + 7, first + 6);
    }
    std::fs::write(&source, lines).unwrap();
    // Eight corners and a hole take eight triangles; two n-gons, or four quads, cover the same.
    for (faces, expected) in [("triangles", 8), ("ngons", 2), ("quads", 4)] {
        let args = [
            "cut",
            text(&source),
            "--flat",
            "--faces",
            faces,
            "-o",
            text(&out),
        ];
        let done = ectome(&args);
        assert!(done.status.success(), "{done:?}");
        let made = std::fs::read_to_string(&out).unwrap();
        let count = made.lines().filter(|l| l.starts_with("f ")).count();
        assert_eq!(count, expected, "{faces}: {made}");
    }
}

/// A GLB with the given JSON and binary chunk.
fn glb(json: &str, bin: &[u8]) -> Vec<u8> {
    let mut json = json.as_bytes().to_vec();
    json.resize(json.len().next_multiple_of(4), b' ');
    let mut out = b"glTF\x02\0\0\0".to_vec();
    out.extend((28 + json.len() as u32 + bin.len() as u32).to_le_bytes());
    out.extend((json.len() as u32).to_le_bytes());
    out.extend(b"JSON");
    out.extend(json);
    out.extend((bin.len() as u32).to_le_bytes());
    out.extend(b"BIN\0");
    out.extend(bin);
    out
}

fn triangle(count: u64, points: [f32; 9], last: u16) -> Vec<u8> {
    let json = format!(
        r#"{{"asset":{{"version":"2.0"}},"scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"mesh":0}}],
        "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}},"indices":1}}]}}],
        "buffers":[{{"byteLength":44}}],
        "bufferViews":[{{"buffer":0,"byteLength":36}},{{"buffer":0,"byteOffset":36,"byteLength":6}}],
        "accessors":[{{"bufferView":0,"componentType":5126,"count":{count},"type":"VEC3","min":[0,0,0],
        "max":[1,1,1]}},{{"bufferView":1,"componentType":5123,"count":3,"type":"SCALAR"}}]}}"#
    );
    let mut bin: Vec<u8> = points.iter().flat_map(|x| x.to_le_bytes()).collect();
    bin.extend([0u16, 1, last, 0].iter().flat_map(|x| x.to_le_bytes()));
    glb(&json, &bin)
}

const POINTS: [f32; 9] = [0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0];

#[rstest]
#[case::truncated("short.glb", triangle(3, POINTS, 2)[..90].to_vec())]
#[case::not_a_number("nan.glb", triangle(3, [f32::NAN, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0], 2))]
#[case::index_out_of_range("index.glb", triangle(3, POINTS, 900))]
#[case::four_billion_vertices("huge.glb", triangle(4_294_967_295, POINTS, 2))]
#[case::picture_renamed("photo.glb", b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec())]
#[case::empty("none.glb", Vec::new())]
#[case::text("words.obj", b"this is no mesh".to_vec())]
#[case::index_before_points("first.obj", b"f 1 2 3\n".to_vec())]
#[case::not_a_number_obj("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n".to_vec())]
fn a_hostile_file_gets_one_sentence_that_names_it(#[case] name: &str, #[case] bytes: Vec<u8>) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(name);
    let out = folder.path().join("out.glb");
    std::fs::write(&file, bytes).unwrap();
    for args in [
        vec!["inspect", text(&file), "--json"],
        vec!["cut", text(&file), "--to", "4", "-o", text(&out)],
    ] {
        let done = ectome(&args);
        assert_eq!(done.status.code(), Some(1), "{args:?} {done:?}");
        let said = String::from_utf8(done.stderr).unwrap();
        assert!(said.contains(name) && said.lines().count() == 1, "{said}");
        assert!(!said.contains("panicked"), "{said}");
    }
    assert!(!out.exists(), "nothing half-written stays behind");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

#[test]
fn a_missing_material_file_is_noted_and_the_mesh_still_cuts() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 40, 20);
    std::fs::remove_file(folder.path().join("globe.mtl")).unwrap();
    let out = folder.path().join("low.glb");
    let done = ectome(&["cut", text(&source), "--to", "300", "-o", text(&out)]);
    assert!(done.status.success(), "{done:?}");
    let said = String::from_utf8(done.stderr).unwrap();
    assert!(said.contains("globe.mtl"), "{said}");
}

#[rstest]
#[case(&["cut"], 2)]
#[case(&["cut", "nowhere.glb", "--to", "x", "-o", "o.glb"], 2)]
#[case(&["cut", "nowhere.glb", "--to", "10", "-o", "o.glb"], 1)]
#[case(&["compare", "nowhere.glb", "neither.glb"], 1)]
#[case(&["--help"], 0)]
fn statuses_tell_usage_from_failure(#[case] args: &[&str], #[case] status: i32) {
    assert_eq!(ectome(args).status.code(), Some(status));
}

#[test]
fn a_target_that_cannot_be_met_is_refused_with_the_reason() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 40, 20);
    let out = folder.path().join("low.glb");
    for (target, word) in [("2", "at least 4"), ("99999", "nothing to cut")] {
        let done = ectome(&["cut", text(&source), "--to", target, "-o", text(&out)]);
        assert_eq!(done.status.code(), Some(1));
        let said = String::from_utf8(done.stderr).unwrap();
        assert!(said.contains(word), "{said}");
        assert!(!out.exists());
    }
}

#[test]
fn loops_are_listed_and_taken_out() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 48, 24);
    let listed = ectome(&["loops", text(&source), "--list"]);
    assert!(listed.status.success());
    let listed = String::from_utf8(listed.stdout).unwrap();
    assert!(
        listed.contains("closed") && listed.contains("stays (ends inside"),
        "{listed}"
    );
    let (out, report) = (folder.path().join("low.glb"), folder.path().join("r.json"));
    let run = |args: &[&str]| {
        let mut all = vec![
            "loops",
            text(&source),
            "-o",
            text(&out),
            "--report",
            text(&report),
        ];
        all.extend(args);
        ectome(&all)
    };
    assert!(run(&["--every", "2"]).status.success());
    let r = json(&report);
    assert!(r["loops_taken"].as_u64().unwrap() > 5, "{r}");
    assert!(r["triangles_after"].as_u64() < r["triangles_before"].as_u64());
    assert_eq!(r["open_edges"], serde_json::json!([0, 0]));
    assert!(run(&["--to", "1200"]).status.success());
    assert!(json(&report)["triangles_after"].as_u64().unwrap() <= 1200);
    // Neither: a sentence that says what to do.
    let neither = run(&[]);
    assert_eq!(neither.status.code(), Some(2));
    assert!(
        String::from_utf8(neither.stderr)
            .unwrap()
            .contains("--every N or --to N")
    );
}

#[test]
fn a_scan_written_on_request_comes_in_as_ply_and_cuts() {
    let folder = tempfile::tempdir().unwrap();
    let made = ectome(&["demo", "-o", text(folder.path()), "--scan", "20000"]);
    assert!(made.status.success());
    let (scan, out) = (
        folder.path().join("skerry.ply"),
        folder.path().join("low.glb"),
    );
    let cut = ectome(&["cut", text(&scan), "--to", "500", "-o", text(&out)]);
    assert!(cut.status.success(), "{cut:?}");
    let compared = ectome(&["compare", text(&scan), text(&out), "--json"]);
    let r: Value = serde_json::from_slice(&compared.stdout).unwrap();
    assert!((498..=500).contains(&r["low"]["triangles"].as_u64().unwrap()));
    assert_eq!(r["low"]["open_edges"], 0);
    assert_eq!(r["flipped_faces"], 0);
    assert!(r["outline_agreement"].as_f64().unwrap() > 0.95, "{r}");
}

#[test]
fn a_source_is_read_in_its_unit_and_repaired_before_it_is_written() {
    let folder = tempfile::tempdir().unwrap();
    // A box of 2 × 2 × 4 cm as loose triangles, z up, as STL text has it: 12 triangles of 36 points.
    let corner = |i: usize| [(i & 1) * 2, (i >> 1 & 1) * 2, (i >> 2 & 1) * 4];
    let quads = [
        [0, 2, 3, 1],
        [4, 5, 7, 6],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 4, 6, 2],
        [1, 3, 7, 5],
    ];
    let mut stl = String::from("solid box\n");
    for (n, [a, b, c, d]) in quads.into_iter().enumerate() {
        for t in [[a, b, c], [a, c, d]] {
            // No two facets agree to the last digit, as files that went through several hands.
            let off = n as f64 * 1e-3;
            stl += "facet normal 0 0 0\nouter loop\n";
            for [x, y, z] in t.map(corner) {
                stl += &format!("vertex {} {y} {z}\n", x as f64 + off);
            }
            stl += "endloop\nendfacet\n";
        }
    }
    let source = folder.path().join("box.stl");
    std::fs::write(&source, stl + "endsolid box\n").unwrap();
    let steps = folder.path().join("steps.toml");
    let list = "[[step]]\nchange = \"weld\"\ndistance_m = 0.0001\n\
        [[step]]\nchange = \"clip\"\npoint = [0.0, 0.01, 0.0]\nnormal = [0.0, 1.0, 0.0]\ncap = true\n";
    std::fs::write(&steps, list).unwrap();
    let out = folder.path().join("box.glb");
    let made = ectome(&[
        "prepare",
        text(&source),
        "--unit",
        "cm",
        "--up",
        "z",
        "--steps",
        text(&steps),
        "-o",
        text(&out),
    ]);
    assert!(made.status.success(), "{made:?}");
    let said = String::from_utf8_lossy(&made.stderr).into_owned();
    assert!(
        said.contains("points and") && !said.contains("Weld: 0"),
        "{said}"
    );
    let report = ectome(&["inspect", text(&out), "--json"]);
    let report: Value = serde_json::from_slice(&report.stdout).unwrap();
    assert_eq!(report["open_edges"], 0);
    // What is left stands upright: 2 × 3 × 2 cm.
    let bounds = &report["bounds_m"];
    let size: Vec<f64> = (0..3)
        .map(|k| bounds[1][k].as_f64().unwrap() - bounds[0][k].as_f64().unwrap())
        .collect();
    for (have, want) in size.iter().zip([0.02, 0.03, 0.02]) {
        assert!((have - want).abs() < 1e-4, "{size:?}");
    }

    std::fs::write(&steps, "[[step]]\nchange = \"wield\"\n").unwrap();
    let refused = ectome(&["inspect", text(&source), "--steps", text(&steps)]);
    assert_eq!(refused.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("wield"));
}

#[test]
fn unwrapping_reports_what_it_made_and_packing_keeps_its_islands() {
    let folder = tempfile::tempdir().unwrap();
    let source = globe(folder.path(), 60, 30);
    let (out, report) = (folder.path().join("uv.glb"), folder.path().join("uv.json"));
    let run = |args: &[&str]| {
        let done = ectome(&[&["unwrap"], args, &["--report", text(&report)]].concat());
        assert!(done.status.success(), "{done:?}");
        json(&report)
    };
    let new = run(&[
        text(&source),
        "--size",
        "1024",
        "--padding",
        "4",
        "-o",
        text(&out),
    ]);
    for key in [
        "islands",
        "coverage_percent",
        "overlap_percent",
        "stretch_l2",
        "stretch_max",
        "smallest_gap_texels",
        "seconds",
    ] {
        assert!(new[key].is_number(), "{key}: {new}");
    }
    assert!(new["islands"].as_u64().unwrap() >= 2 && new["overlap_percent"] == 0.0);
    assert!(new["smallest_gap_texels"].as_f64().unwrap() >= 4.0);
    // What was written is what was reported.
    let kept = run(&[text(&out), "--layout", "keep", "--size", "1024"]);
    assert_eq!(kept["islands"], new["islands"]);
    let near = |key: &str| (kept[key].as_f64().unwrap() - new[key].as_f64().unwrap()).abs();
    assert!(near("coverage_percent") < 1e-6 && near("stretch_l2") < 1e-6);
    // Packed again with more room between, at another size.
    let again = folder.path().join("again.glb");
    let packed = run(&[
        text(&out),
        "--layout",
        "repack",
        "--size",
        "512",
        "--padding",
        "12",
        "--turns",
        "quarter",
        "-o",
        text(&again),
    ]);
    assert_eq!(packed["islands"], new["islands"]);
    assert!(packed["smallest_gap_texels"].as_f64().unwrap() >= 12.0);
    // The same command makes the same bytes.
    let twice = folder.path().join("twice.glb");
    run(&[
        text(&source),
        "--size",
        "1024",
        "--padding",
        "4",
        "-o",
        text(&twice),
    ]);
    assert_eq!(std::fs::read(&out).unwrap(), std::fs::read(&twice).unwrap());
    let refused = ectome(&[
        "unwrap",
        text(&source),
        "--texels-per-metre",
        "100000",
        "-o",
        text(&again),
    ]);
    assert_eq!(refused.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("The most that fits is"));
}
