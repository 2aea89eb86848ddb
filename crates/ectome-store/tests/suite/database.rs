//! The database as others on the machine see it, and what happens when it ends.

use std::{
    os::unix::fs::{FileTypeExt, PermissionsExt},
    path::Path,
    process::Command,
    time::{Duration, Instant},
};

use crate::common::{Fixture, sheet};
use ectome_store::{
    StoreError,
    asset::{AssetState, SourceFile},
    database::{Health, PrivateServer},
    work::Accepts,
};

/// Runs a statement as a user, over the socket of a folder.
fn as_user(folder: &Path, user: &str, password: &str, statement: &str) -> Result<String, String> {
    let mut command = Command::new("mariadb");
    command
        .arg("--no-defaults")
        .arg(format!(
            "--socket={}",
            folder.join("database/sock").display()
        ))
        .arg(format!("--user={user}"))
        .args(["--batch", "--skip-column-names", "-e", statement])
        .env("MYSQL_PWD", password);
    let done = command.output().unwrap();
    if done.status.success() {
        Ok(String::from_utf8_lossy(&done.stdout).trim().to_owned())
    } else {
        Err(String::from_utf8_lossy(&done.stderr).into_owned())
    }
}

fn mode(path: &Path) -> u32 {
    std::fs::metadata(path).unwrap().permissions().mode() & 0o777
}

#[tokio::test(flavor = "multi_thread")]
async fn nobody_enters_without_the_password_and_who_enters_has_no_files() {
    let f = Fixture::new().await;
    let folder = f.folder.path();
    let password = std::fs::read_to_string(folder.join("database/password")).unwrap();
    let password = password.trim();
    for (user, word) in [
        ("root", ""),
        ("root", password),
        ("ectome", ""),
        ("", ""),
        ("mysql", ""),
    ] {
        let refused = as_user(folder, user, word, "SELECT 1").unwrap_err();
        assert!(refused.contains("Access denied"), "{user}: {refused}");
    }
    let ours = |statement: &str| as_user(folder, "ectome", password, statement);
    assert_eq!(
        ours("SELECT COUNT(*) >= 0 FROM ectome.assets").unwrap(),
        "1"
    );
    // Neither files nor other accounts, other databases or the server's own tables.
    for statement in [
        "SELECT 1 INTO OUTFILE '/tmp/ectome-out'",
        "SELECT LOAD_FILE('/etc/hostname') IS NULL, 1/0 FROM mysql.user",
        "CREATE DATABASE other",
        "CREATE USER other@localhost",
        "SET GLOBAL general_log = 1",
        "SHUTDOWN",
    ] {
        assert!(ours(statement).is_err(), "{statement}");
    }
    assert_eq!(
        ours("SELECT LOAD_FILE('/etc/hostname') IS NULL").unwrap(),
        "1"
    );
    assert_eq!(ours("SELECT @@skip_networking").unwrap(), "1");
    let exports = ours("SELECT @@secure_file_priv").unwrap();
    assert!(
        exports.trim_end_matches('/').ends_with("database/exports"),
        "{exports}"
    );
    let grants = ours("SHOW GRANTS").unwrap();
    assert!(
        !grants.contains("FILE") && !grants.contains("ALL PRIVILEGES ON *.*"),
        "{grants}"
    );

    let at = |name: &str| folder.join(name);
    for shut in ["database", "database/data", "database/exports", "blobs"] {
        assert_eq!(mode(&at(shut)), 0o700, "{shut}");
    }
    assert_eq!(mode(&at("database/password")), 0o600);
    assert_eq!(mode(&at("database/sock")), 0o600);
    assert!(
        std::fs::metadata(at("database/sock"))
            .unwrap()
            .file_type()
            .is_socket()
    );
    assert!(
        !at("database/accounts.sql").exists(),
        "the statements are gone"
    );
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_of_an_earlier_version_is_shut_at_its_next_start() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(2)).await;
    let folder = f.folder.path().to_owned();
    f.store.close().await;
    f.server.stop().await;
    // As a version before this one left it: root without a password, no password file.
    std::fs::remove_file(folder.join("database/password")).unwrap();
    let init = folder.join("open.sql");
    let open = "CREATE USER root@localhost IDENTIFIED BY '';\nGRANT ALL ON *.* TO root@localhost WITH GRANT OPTION;\n";
    std::fs::write(&init, open).unwrap();
    let mut old = Command::new("/usr/sbin/mariadbd")
        .args(["--no-defaults", "--user=root", "--skip-networking"])
        .arg(format!(
            "--datadir={}",
            folder.join("database/data").display()
        ))
        .arg(format!(
            "--socket={}",
            folder.join("database/sock").display()
        ))
        .arg(format!(
            "--pid-file={}",
            folder.join("database/pid").display()
        ))
        .arg(format!("--init-file={}", init.display()))
        .stderr(std::process::Stdio::null())
        .spawn()
        .unwrap();
    let deadline = Instant::now() + Duration::from_secs(30);
    while as_user(&folder, "root", "", "SELECT 1").is_err() {
        assert!(Instant::now() < deadline, "the old server does not answer");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    // It still runs: it is ended and taken over, and what it held is there.
    let server = PrivateServer::start(&folder.join("database"))
        .await
        .unwrap();
    old.wait().unwrap();
    assert!(as_user(&folder, "root", "", "SELECT 1").is_err());
    let password = std::fs::read_to_string(folder.join("database/password")).unwrap();
    let password = password.trim();
    let names = as_user(
        &folder,
        "ectome",
        password,
        "SELECT name FROM ectome.assets",
    );
    assert_eq!(names.unwrap(), a.name);
    server.stop().await;
}

fn kill(process: Option<u32>) {
    let process = process.expect("a process").to_string();
    let done = Command::new("kill").args(["-9", &process]).status();
    assert!(done.unwrap().success());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_is_killed_comes_back_and_work_goes_on() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(300)).await;
    let (stop, stopping) = tokio::sync::watch::channel(false);
    let worker = tokio::spawn(ectome_store::worker::run(
        f.store.clone(),
        Accepts::all(),
        stopping,
    ));
    tokio::time::sleep(Duration::from_millis(300)).await;
    let begun = Instant::now();
    let text = sheet(3);
    let file = SourceFile {
        name: "later.obj".to_owned(),
        bytes: text.len() as u64,
        blob: f.store.blobs.put(text).await.unwrap(),
    };
    kill(f.server.process());
    // What is asked meanwhile waits for it, and is done once.
    let b = f.store.add_asset("later", a.brief, &[file]).await.unwrap();
    assert!(
        begun.elapsed() < Duration::from_secs(10),
        "{:?}",
        begun.elapsed()
    );
    let deadline = Instant::now() + Duration::from_secs(60);
    // Whoever asks may be a moment ahead of who watches.
    while f.store.health() != Health::Up {
        assert!(Instant::now() < deadline, "{:?}", f.store.health());
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    for id in [a.id, b] {
        while f.store.asset(id).await.unwrap().state() != AssetState::Ready {
            assert!(Instant::now() < deadline, "intake goes on");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }
    assert_eq!(f.store.assets().await.unwrap().len(), 2);
    let crashes = f.store.latest_work(50).await.unwrap();
    assert!(
        crashes.iter().all(|w| w.crashes == 0),
        "the worker lived: {crashes:?}"
    );
    stop.send(true).unwrap();
    worker.await.unwrap();
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_ends_again_and_again_is_given_up_with_its_reason() {
    let f = Fixture::new().await;
    let mut health = f.server.health();
    for _ in 0..3 {
        health.wait_for(|h| *h == Health::Up).await.unwrap();
        kill(f.server.process());
        health.wait_for(|h| *h != Health::Up).await.unwrap();
    }
    let end = health
        .wait_for(|h| !matches!(h, Health::Starting))
        .await
        .unwrap()
        .clone();
    assert!(
        matches!(end, Health::GivenUp(ref why) if !why.is_empty()),
        "{end:?}"
    );
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn data_that_cannot_be_used_is_a_reason_and_not_a_wait() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir_all(folder.path().join("data/mysql")).unwrap();
    std::fs::write(folder.path().join("data/ibdata1"), b"no database").unwrap();
    let begun = Instant::now();
    let error = PrivateServer::start(folder.path()).await.err();
    assert!(
        matches!(error, Some(StoreError::NotStarted(ref why)) if !why.is_empty()),
        "{error:?}"
    );
    assert!(begun.elapsed() < Duration::from_secs(30));
}
