//! The documentation itself is tried: briefs, changes and commands that stand in it are given to the program.

use std::{
    collections::BTreeSet,
    path::{Path, PathBuf},
    process::{Command, Output},
};

use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;
use ectome_recipe::Change;

fn page(name: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../..")
        .join(name);
    std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{}: {e}", path.display()))
}

/// The blocks of a kind on a page.
fn blocks<'a>(page: &'a str, kind: &str) -> Vec<&'a str> {
    let start = format!("```{kind}\n");
    let rest = page.split(start.as_str()).skip(1);
    rest.map(|b| b.split("```").next().unwrap()).collect()
}

fn ectome(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .current_dir(folder)
        .output()
        .unwrap()
}

fn done(folder: &Path, args: &[&str]) -> String {
    let output = ectome(folder, args);
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{args:?}: {said}");
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn ball(folder: &Path) -> PathBuf {
    let scene = Scene::from(shapes::icosphere(0.3, 5));
    let path = folder.join("ball.glb");
    std::fs::write(&path, glb::write(&scene, &glb::Options::default()).unwrap()).unwrap();
    path
}

#[test]
fn the_whole_brief_is_read_planned_and_written_back() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    ball(at);
    let page = page("docs/briefs.md");
    let brief = blocks(&page, "toml")[0];
    std::fs::write(at.join("brief.toml"), brief).unwrap();
    done(
        at,
        &[
            "plan",
            "ball.glb",
            "--brief",
            "brief.toml",
            "-o",
            "plan.toml",
        ],
    );
    // The plan that it proposes is a recipe that the program takes.
    let light = brief.replace("texture_px = 2048", "texture_px = 64");
    std::fs::write(at.join("brief.toml"), light).unwrap();
    done(
        at,
        &[
            "plan",
            "ball.glb",
            "--brief",
            "brief.toml",
            "-o",
            "plan.toml",
        ],
    );
    let run = ectome(
        at,
        &[
            "run",
            "ball.glb",
            "--brief",
            "brief.toml",
            "--recipe",
            "plan.toml",
            "-o",
            "out",
        ],
    );
    let said = String::from_utf8_lossy(&run.stderr);
    assert!(
        !said.contains("failed and") || said.contains("0 failed"),
        "{said}"
    );
    assert!(at.join("out/ball/ball_LOD0.glb").is_file(), "{said}");
}

#[test]
fn the_changes_on_the_page_are_all_there_are_and_its_example_is_made() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    ball(at);
    let page = page("docs/command-line.md");
    std::fs::write(at.join("steps.toml"), blocks(&page, "toml")[0]).unwrap();
    done(
        at,
        &[
            "prepare",
            "ball.glb",
            "--steps",
            "steps.toml",
            "-o",
            "out.glb",
        ],
    );

    let table = page.split("| change | fields |").nth(1).unwrap();
    let rows = table.lines().skip(2).take_while(|l| l.starts_with('|'));
    let first = rows.flat_map(|row| row.split('|').nth(1).unwrap().split(','));
    let documented: BTreeSet<&str> = first.map(|w| w.trim().trim_matches('`')).collect();
    let known: BTreeSet<&str> = Change::WORDS.iter().copied().collect();
    assert_eq!(documented, known);
}

/// What stands in blocks, line by line, and what stands in quotes within a line.
fn commands(page: &str) -> Vec<&str> {
    let mut found = Vec::new();
    let mut in_block = false;
    for line in page.lines() {
        if line.starts_with("```") {
            in_block = !in_block;
        } else if in_block {
            found.push(line);
        } else {
            found.extend(line.split('`').skip(1).step_by(2));
        }
    }
    found
}

/// Every command that a page shows, and every option it shows with it, is one of the program's.
#[test]
fn commands_on_the_pages_are_known_with_their_options() {
    let folder = tempfile::tempdir().unwrap();
    let mut shown = 0;
    for name in [
        "README.md",
        "docs/command-line.md",
        "docs/workers.md",
        "docs/performance.md",
    ] {
        let page = page(name);
        for command in commands(&page) {
            let Some(rest) = command.trim().strip_prefix("ectome ") else {
                continue;
            };
            let rest = rest.split('#').next().unwrap();
            let word = rest.split_whitespace().next().unwrap_or_default();
            if word.is_empty() || !word.bytes().all(|b| b.is_ascii_lowercase()) {
                continue;
            }
            let help = done(folder.path(), &[word, "--help"]);
            let options = rest.split(|c: char| c.is_whitespace() || "[](|)".contains(c));
            for option in options.filter(|o| o.starts_with("--") && o.len() > 2) {
                let option = option.split(['=', ';', ',']).next().unwrap();
                assert!(help.contains(option), "{name}: {command}: {option}");
            }
            shown += 1;
        }
    }
    assert!(shown > 40, "{shown}");
}
