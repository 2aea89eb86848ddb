//! The command line where files, names and pipes are not what they should be: nothing that was there is harmed, nothing
//! hangs, and the exit status says whose fault it was.

use std::{
    fs::{self, File},
    os::unix::fs::{FileTypeExt, PermissionsExt, symlink},
    path::{Path, PathBuf},
    process::{Command, Output, Stdio},
};

use rstest::rstest;

fn program() -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_ectome"));
    command.stdin(Stdio::null());
    command
}

fn ectome(args: &[&str]) -> Output {
    program().args(args).output().unwrap()
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

const TILE: &str = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3\nf 1 3 4\n";

/// A folder with a sound mesh in it.
fn folder() -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("tile.obj");
    fs::write(&source, TILE).unwrap();
    (folder, source)
}

fn names(folder: &Path) -> Vec<String> {
    let list = fs::read_dir(folder).unwrap();
    let mut names: Vec<String> = list
        .map(|e| e.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

#[rstest]
#[case("out.fbx")]
#[case("out")]
#[case("out.glb.txt")]
#[case("out.gltf")]
#[case(".glb")]
fn an_ending_that_is_not_written_is_wrong_usage(#[case] name: &str) {
    let (folder, source) = folder();
    let out = folder.path().join(name);
    let done = ectome(&["prepare", text(&source), "-o", text(&out)]);
    assert_eq!(done.status.code(), Some(2), "{done:?}");
    assert!(
        said(&done).contains(".glb, .obj or .ply"),
        "{}",
        said(&done)
    );
    assert_eq!(names(folder.path()), ["tile.obj"]);
}

#[test]
fn a_link_leads_to_its_file_and_modes_stay() {
    let (folder, source) = folder();
    let at = |name: &str| folder.path().join(name);
    fs::create_dir(at("deep")).unwrap();
    fs::write(at("deep/real.glb"), b"old").unwrap();
    fs::set_permissions(at("deep/real.glb"), fs::Permissions::from_mode(0o640)).unwrap();
    symlink("deep/real.glb", at("link.glb")).unwrap();
    symlink("deep/new.glb", at("dangling.glb")).unwrap();
    for name in ["link.glb", "dangling.glb"] {
        let done = ectome(&["prepare", text(&source), "-o", text(&at(name))]);
        assert!(done.status.success(), "{done:?}");
        assert!(at(name).is_symlink(), "{name} is a link still");
    }
    for name in ["deep/real.glb", "deep/new.glb"] {
        assert!(fs::read(at(name)).unwrap().starts_with(b"glTF"), "{name}");
    }
    let mode = fs::metadata(at("deep/real.glb"))
        .unwrap()
        .permissions()
        .mode();
    assert_eq!(mode & 0o777, 0o640);
    assert_eq!(names(&at("deep")), ["new.glb", "real.glb"]);
}

#[test]
fn devices_and_folders_stay_what_they_are() {
    let (folder, source) = folder();
    // A report may go to a device; the device stays one.
    let done = ectome(&[
        "cut",
        text(&source),
        "--flat",
        "-o",
        text(&folder.path().join("o.glb")),
        "--report",
        "/dev/null",
    ]);
    assert!(
        done.status.success() || done.status.code() == Some(1),
        "{done:?}"
    );
    assert!(
        fs::metadata("/dev/null")
            .unwrap()
            .file_type()
            .is_char_device()
    );
    fs::create_dir(folder.path().join("folder.glb")).unwrap();
    let done = ectome(&[
        "prepare",
        text(&source),
        "-o",
        text(&folder.path().join("folder.glb")),
    ]);
    assert_eq!(done.status.code(), Some(1));
    assert!(
        said(&done).contains("folder.glb cannot be written"),
        "{}",
        said(&done)
    );
    // A pipe with an ending of ours is written into by whoever reads it; it is not replaced.
    let pipe = folder.path().join("pipe.ply");
    assert!(
        Command::new("mkfifo")
            .arg(&pipe)
            .status()
            .unwrap()
            .success()
    );
    let mut reader = Command::new("cat")
        .arg(&pipe)
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let done = ectome(&["prepare", text(&source), "-o", text(&pipe)]);
    assert!(done.status.success(), "{done:?}");
    assert!(fs::metadata(&pipe).unwrap().file_type().is_fifo());
    let mut read = Vec::new();
    std::io::Read::read_to_end(reader.stdout.as_mut().unwrap(), &mut read).unwrap();
    assert!(read.starts_with(b"ply"));
    reader.wait().unwrap();
}

#[test]
fn files_beside_an_obj_that_are_not_its_own_stay() {
    let (folder, source) = folder();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("out.mtl"), b"somebody else's").unwrap();
    let done = ectome(&["prepare", text(&source), "-o", text(&at("out.obj"))]);
    assert_eq!(done.status.code(), Some(1));
    assert!(
        said(&done).contains("out.mtl lies where"),
        "{}",
        said(&done)
    );
    assert_eq!(fs::read(at("out.mtl")).unwrap(), b"somebody else's");
    assert!(!at("out.obj").exists());
    // Its own are replaced with it.
    fs::remove_file(at("out.mtl")).unwrap();
    for _ in 0..2 {
        let done = ectome(&["prepare", text(&source), "-o", text(&at("out.obj"))]);
        assert!(done.status.success(), "{done:?}");
    }
    assert!(
        fs::read_to_string(at("out.obj"))
            .unwrap()
            .contains("out.mtl")
    );
}

#[test]
fn no_temporary_name_shows_and_none_stays() {
    let (folder, source) = folder();
    let out = folder.path().join("no/such/folder/out.glb");
    let done = ectome(&["prepare", text(&source), "-o", text(&out)]);
    assert_eq!(done.status.code(), Some(1));
    // The folder of this test has such a name itself.
    let rest = said(&done).replace(text(folder.path()), "");
    assert!(!rest.contains(".tmp"), "{rest}");
    assert_eq!(said(&done).lines().count(), 1);
    assert_eq!(names(folder.path()), ["tile.obj"]);
}

#[test]
fn a_full_disk_behind_standard_output_is_an_error_and_a_closed_pipe_is_none() {
    let (_folder, source) = folder();
    for args in [
        &["inspect", text(&source)][..],
        &["inspect", text(&source), "--json"],
        &["loops", text(&source), "--list"],
    ] {
        let full = File::options().write(true).open("/dev/full").unwrap();
        let done = program().args(args).stdout(full).output().unwrap();
        let lists_nothing = args.contains(&"--list");
        assert_eq!(
            done.status.code(),
            Some(i32::from(!lists_nothing)),
            "{args:?}: {done:?}"
        );
        assert!(lists_nothing || said(&done).contains("standard output cannot be written"));
        // A reader that has seen enough.
        let mut child = program()
            .args(args)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        drop(child.stdout.take());
        let done = child.wait_with_output().unwrap();
        assert_eq!(done.status.code(), Some(0), "{done:?}");
        assert!(!said(&done).contains("panicked"), "{}", said(&done));
    }
}

#[test]
fn what_a_mesh_names_is_read_only_where_it_is_a_file() {
    let (folder, _) = folder();
    let at = |name: &str| folder.path().join(name);
    assert!(
        Command::new("mkfifo")
            .arg(at("pipe.mtl"))
            .status()
            .unwrap()
            .success()
    );
    fs::write(
        at("a.obj"),
        format!("mtllib pipe.mtl\nmtllib /dev/zero\nmtllib .\n{TILE}"),
    )
    .unwrap();
    let mut child = program()
        .args(["inspect", text(&at("a.obj"))])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(20);
    loop {
        if let Some(status) = child.try_wait().unwrap() {
            assert!(status.success());
            break;
        }
        if std::time::Instant::now() > deadline {
            child.kill().unwrap();
            panic!("it waits for a pipe");
        }
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
}

#[rstest]
#[case("change = \"weld\"\ndistance_m = -1.0", "Weld")]
#[case("change = \"weld\"\ndistance_m = nan", "Weld")]
#[case(
    "change = \"clip\"\npoint = [0.0, 0.0, 0.0]\nnormal = [0.0, 0.0, 0.0]\ncap = true",
    "plane"
)]
#[case("change = \"sections\"\ncells = [4000000000, 1, 1]", "sections")]
#[case("change = \"close_holes\"\nsize_m = -0.5", "Close holes")]
#[case("change = \"measure\"\nspace = { unit_m = 0.0, up = \"y\" }", "")]
#[case("change = \"no such thing\"", "no such thing")]
#[case("this is no TOML", "")]
fn steps_that_mean_nothing_are_wrong_usage(#[case] step: &str, #[case] names: &str) {
    let (folder, source) = folder();
    let steps = folder.path().join("steps.toml");
    fs::write(&steps, format!("[[step]]\n{step}\n")).unwrap();
    let out = folder.path().join("out.glb");
    let done = ectome(&[
        "prepare",
        text(&source),
        "--steps",
        text(&steps),
        "-o",
        text(&out),
    ]);
    assert_eq!(done.status.code(), Some(2), "{done:?}");
    assert!(
        said(&done).contains(names) && said(&done).lines().count() == 1,
        "{}",
        said(&done)
    );
    assert!(!out.exists());
}

#[test]
fn files_of_settings_that_cannot_be_read_are_wrong_usage() {
    let (folder, source) = folder();
    let gone = folder.path().join("gone.toml");
    let broken = folder.path().join("broken.toml");
    fs::write(&broken, "name = 3\n").unwrap();
    let dir = folder.path().join("chain");
    for file in [&gone, &broken] {
        let steps = ectome(&["inspect", text(&source), "--steps", text(file)]);
        assert_eq!(steps.status.code(), Some(2), "{steps:?}");
        let brief = ectome(&[
            "chain",
            text(&source),
            "--brief",
            text(file),
            "-o",
            text(&dir),
        ]);
        assert_eq!(brief.status.code(), Some(2), "{brief:?}");
    }
    assert!(!dir.exists());
    // A source that cannot be read is not the caller's mistake in the same sense.
    assert_eq!(ectome(&["inspect", text(&gone)]).status.code(), Some(1));
}

#[test]
fn where_nothing_is_built_nothing_is_cut() {
    let (folder, source) = folder();
    let steps = folder.path().join("steps.toml");
    fs::write(
        &steps,
        "[[step]]\nchange = \"fate\"\nparts = [0]\nfate = \"omit\"\n",
    )
    .unwrap();
    let out = folder.path().join("out.glb");
    let tail = ["--steps", text(&steps), "-o", text(&out)];
    for head in [
        &["cut", text(&source), "--flat"][..],
        &["cut", text(&source), "--share", "50%"],
        &["unwrap", text(&source)],
    ] {
        let done = ectome(&[head, &tail].concat());
        assert_eq!(done.status.code(), Some(1), "{done:?}");
        assert!(
            said(&done).contains("no part of the source is built"),
            "{}",
            said(&done)
        );
        assert!(!out.exists());
    }
}

#[test]
fn a_header_without_bytes_behind_it_takes_no_memory() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("empty.ply");
    for header in [
        "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nend_header\n",
        "ply\nformat ascii 1.0\nelement vertex 4000000000\nproperty float x\nend_header\n",
        "ply\nformat binary_little_endian 1.0\nelement face 4000000000\nproperty list uchar int vertex_indices\nend_header\n",
    ] {
        fs::write(&file, header).unwrap();
        // 200 MB of address space beyond what the program itself takes would not hold four thousand million rows.
        let done = Command::new("sh")
            .arg("-c")
            .arg("ulimit -v 2000000; exec \"$0\" inspect \"$1\"")
            .arg(env!("CARGO_BIN_EXE_ectome"))
            .arg(&file)
            .output()
            .unwrap();
        assert_eq!(done.status.code(), Some(1), "{done:?}");
        assert!(
            said(&done).contains("empty.ply is damaged"),
            "{}",
            said(&done)
        );
    }
}
