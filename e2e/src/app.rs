//! The application under test.

use std::{
    net::TcpStream,
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

/// The port that a program says it listens on, behind `before` in a line of what it says.
///
/// # Panics
/// When it ends before it says so.
pub fn port_said(child: &mut Child, before: &str) -> u16 {
    let output = child.stdout.take().expect("its output is piped");
    match ectome_testing::port::said(output, before) {
        Some(port) => port,
        None => panic!("it ended before it said its port: {:?}", child.wait()),
    }
}

/// The `ectome` program that was built with this test, or the one that `ECTOME_PROGRAM` names.
pub fn program() -> PathBuf {
    if let Some(named) = std::env::var_os("ECTOME_PROGRAM") {
        return named.into();
    }
    let mut folder = std::env::current_exe().expect("the test's own path");
    while folder.pop() {
        let program = folder.join("ectome");
        if program.is_file() {
            return program;
        }
    }
    panic!("ectome is not built: run cargo build first");
}

/// The largest upload, in bytes, where a test is not about it.
const UPLOAD_LIMIT: u64 = 8 << 30;
/// Starts without assets.
const NO_DEMO: &str = "--no-demo";

/// A running `ectome serve`; it is killed when this is dropped, and its database goes with it.
pub struct App {
    child: Child,
    data: PathBuf,
    upload_limit: u64,
    /// The port pages are served on.
    pub port: u16,
}

impl App {
    /// Starts without assets in `data`.
    pub fn start(data: &Path) -> Self {
        Self::with_upload_limit(data, UPLOAD_LIMIT)
    }

    /// The same with a limit for uploads, in bytes.
    pub fn with_upload_limit(data: &Path, upload_limit: u64) -> Self {
        Self::begun(data, upload_limit, &[NO_DEMO])
    }

    /// The same with a folder whose subfolders batches may watch.
    pub fn watching(data: &Path, folder: &Path) -> Self {
        let folder = folder.to_string_lossy();
        Self::begun(data, UPLOAD_LIMIT, &[NO_DEMO, "--watch", &folder])
    }

    /// Starts with a database and an object store elsewhere, named by the environment, and leaves the work to others.
    pub fn elsewhere(data: &Path, environment: &[(&str, String)]) -> Self {
        let (child, port) = spawned(
            data,
            0,
            UPLOAD_LIMIT,
            &[NO_DEMO, "--no-worker"],
            environment,
        );
        let mut app = Self {
            child,
            data: data.to_owned(),
            upload_limit: UPLOAD_LIMIT,
            port,
        };
        app.wait();
        app
    }

    /// Starts in `data` with the demo assets, if it is the first start there.
    pub fn with_demo(data: &Path) -> Self {
        Self::begun(data, UPLOAD_LIMIT, &[])
    }

    fn begun(data: &Path, upload_limit: u64, further: &[&str]) -> Self {
        // The first start with the demo, which is a user's, installs the database itself.
        if further.contains(&NO_DEMO) {
            ectome_testing::database::seed(&data.join("database"));
        }
        let (child, port) = spawned(data, 0, upload_limit, further, &[]);
        let mut app = Self {
            child,
            data: data.to_owned(),
            upload_limit,
            port,
        };
        app.wait();
        app
    }

    /// The address of a path.
    pub fn url(&self, path: &str) -> String {
        format!("http://127.0.0.1:{}{path}", self.port)
    }

    /// The process of the application.
    pub fn process(&self) -> u32 {
        self.child.id()
    }

    /// `kill -9` for the application; its database ends with it.
    pub fn kill(&mut self) {
        self.child.kill().expect("killed");
        self.child.wait().expect("gone");
    }

    /// The process of the database, while one runs.
    pub fn database(&self) -> Option<u32> {
        let text = std::fs::read_to_string(self.data.join("database/pid")).ok()?;
        text.trim().parse().ok()
    }

    /// Starts again on the same folder.
    pub fn restart(&mut self) {
        let further = [NO_DEMO];
        (self.child, self.port) = spawned(&self.data, self.port, self.upload_limit, &further, &[]);
        self.wait();
    }

    /// Asks politely to stop and waits. Returns the exit status.
    pub fn stop(&mut self) -> Option<i32> {
        let pid = self.child.id().to_string();
        Command::new("kill").args(["-TERM", &pid]).status().ok()?;
        self.child.wait().ok()?.code()
    }

    /// Waits until pages are shown.
    pub fn wait(&mut self) {
        let deadline = Instant::now() + Duration::from_secs(60);
        while TcpStream::connect(("127.0.0.1", self.port)).is_err()
            || crate::http::get(self.port, "/").is_none_or(|r| r.status != 200)
        {
            if let Ok(Some(status)) = self.child.try_wait() {
                panic!("ectome serve ended with {status}");
            }
            assert!(Instant::now() < deadline, "ectome serve does not answer");
            std::thread::sleep(Duration::from_millis(100));
        }
    }
}

impl Drop for App {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn spawned(
    data: &Path,
    port: u16,
    upload_limit: u64,
    further: &[&str],
    environment: &[(&str, String)],
) -> (Child, u16) {
    let mut child = Command::new(program())
        .arg("serve")
        .args(further)
        .arg("--data")
        .arg(data)
        .args(["--port", &port.to_string()])
        .args(["--disk-reserve", "0"])
        .args(["--upload-limit", &upload_limit.to_string()])
        .envs(environment.iter().map(|(name, value)| (name, value)))
        .stdout(Stdio::piped())
        .spawn()
        .expect("ectome serve");
    let port = port_said(&mut child, "127.0.0.1:");
    (child, port)
}
