//! One run of the server.

use std::{
    io::Read,
    os::unix::{fs::MetadataExt, net::UnixStream, process::CommandExt},
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use rustix::process::{Pid, Signal, kill_process, test_kill_process};

use super::accounts;
use crate::{StoreError, folder};

/// How long the server may take to come up or go down.
const PATIENCE: Duration = Duration::from_secs(40);
/// How often it is asked in the meantime.
const STEP: Duration = Duration::from_millis(40);

/// A server that can be run in a folder.
pub(super) struct Daemon {
    folder: PathBuf,
    socket: PathBuf,
    program: PathBuf,
    password: String,
}

impl Daemon {
    /// The server of a folder.
    pub fn of(folder: PathBuf, password: String) -> Result<Self, StoreError> {
        Ok(Self {
            program: find("mariadbd")?,
            socket: socket_path(&folder)?,
            folder,
            password,
        })
    }

    /// Where it listens.
    pub fn socket(&self) -> &Path {
        &self.socket
    }

    /// Starts the server and waits until it answers. Whoever runs on the same data is ended first. The thread that calls
    /// this must live as long as the server shall: the server ends with it.
    pub fn start(&self) -> Result<Child, StoreError> {
        self.end_others()?;
        if !self.folder.join("data").exists() {
            self.install()?;
        }
        let exports = self.folder.join("exports");
        folder::private(&exports)?;
        let init = self.folder.join("accounts.sql");
        folder::write_secretly(&init, &accounts::statements(&self.password))?;
        let _ = std::fs::remove_file(&self.socket);
        let mut command = bound_to_us(&self.program);
        command
            .arg("--no-defaults")
            .args(as_root())
            .arg(option("datadir", &self.folder.join("data")))
            .arg(option("socket", &self.socket))
            .arg(option("pid-file", &self.pid_file()))
            .arg(option("log-error", &self.log()))
            .arg(option("tmpdir", &self.folder))
            .arg(option("init-file", &init))
            // Nothing of the database reads or writes files elsewhere.
            .arg(option("secure-file-priv", &exports))
            .args([
                "--skip-networking",
                "--local-infile=0",
                "--skip-symbolic-links",
            ])
            .args(["--skip-name-resolve", "--max-allowed-packet=128M"])
            .args([
                "--character-set-server=utf8mb4",
                "--collation-server=utf8mb4_bin",
                "--innodb-flush-log-at-trx-commit=1",
            ])
            .envs([("UMASK", "0600"), ("UMASK_DIR", "0700")])
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            // Ctrl-C in the terminal must reach the application only, which then stops us in order.
            .process_group(0);
        let logged = std::fs::metadata(self.log()).map_or(0, |m| m.len());
        let mut child = command
            .spawn()
            .map_err(|e| StoreError::NotStarted(e.to_string()))?;
        let deadline = Instant::now() + PATIENCE;
        while !self.greets() {
            let gone = child.try_wait().ok().flatten().is_some();
            if gone || Instant::now() > deadline {
                end(&mut child);
                let why = self
                    .last_error(logged)
                    .unwrap_or_else(|| format!("it gave no reason; see {}", self.log().display()));
                return Err(StoreError::NotStarted(why));
            }
            std::thread::sleep(STEP);
        }
        let _ = std::fs::remove_file(&init);
        folder::only_ours(&self.socket, 0o600)?;
        Ok(child)
    }

    /// Makes the data of a new database: elsewhere first, so that one that breaks off leaves nothing half made.
    fn install(&self) -> Result<(), StoreError> {
        let failed = |e: std::io::Error| StoreError::File(self.folder.clone(), e.to_string());
        let new = self.folder.join(format!("data.new.{}", std::process::id()));
        for entry in std::fs::read_dir(&self.folder).map_err(failed)?.flatten() {
            if entry.file_name().to_string_lossy().starts_with("data.new") {
                std::fs::remove_dir_all(entry.path()).map_err(failed)?;
            }
        }
        let output = bound_to_us(&find("mariadb-install-db")?)
            .args([
                "--no-defaults",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
            ])
            .args(as_root())
            .arg(option("datadir", &new))
            // Two installations at once would clash in the folder all share.
            .arg(option("tmpdir", &self.folder))
            .envs([("UMASK", "0600"), ("UMASK_DIR", "0700")])
            .stdin(Stdio::null())
            .output()
            .map_err(|e| StoreError::NotStarted(e.to_string()))?;
        if !output.status.success() {
            let said = String::from_utf8_lossy(&output.stderr);
            let last = said.lines().rfind(|l| !l.trim().is_empty());
            let why = last.unwrap_or("its data could not be made").trim();
            return Err(StoreError::NotStarted(why.to_owned()));
        }
        std::fs::rename(&new, self.folder.join("data")).map_err(failed)
    }

    /// Ends a server that runs on our data: one of a start that was killed where nothing ends servers with their
    /// starter.
    fn end_others(&self) -> Result<(), StoreError> {
        let Some(pid) = self.running() else {
            return Ok(());
        };
        tracing::warn!(
            pid = pid.as_raw_nonzero(),
            "a database of an earlier start is ended"
        );
        for signal in [Signal::TERM, Signal::KILL] {
            let _ = kill_process(pid, signal);
            let deadline = Instant::now() + PATIENCE;
            while Instant::now() < deadline {
                if test_kill_process(pid).is_err() || self.running() != Some(pid) {
                    return Ok(());
                }
                std::thread::sleep(STEP);
            }
        }
        Err(StoreError::NotStarted(format!(
            "another database server (process {}) uses its folder and cannot be ended",
            pid.as_raw_nonzero()
        )))
    }

    /// The server that runs on our data, by its own word and by its command line.
    fn running(&self) -> Option<Pid> {
        let text = std::fs::read_to_string(self.pid_file()).ok()?;
        let pid: i32 = text.trim().parse().ok()?;
        let line = std::fs::read(format!("/proc/{pid}/cmdline")).ok()?;
        let data = option("datadir", &self.folder.join("data"));
        let data = data.as_encoded_bytes();
        line.split(|&b| b == 0)
            .any(|arg| arg == data)
            .then(|| Pid::from_raw(pid))
            .flatten()
    }

    /// True once the server greets whoever connects, which it does when it is ready to serve.
    fn greets(&self) -> bool {
        let Ok(mut stream) = UnixStream::connect(&self.socket) else {
            return false;
        };
        let _ = stream.set_read_timeout(Some(Duration::from_secs(2)));
        // A packet's head of four bytes, then the version of the protocol; 255 would be an error (*MariaDB
        // Client/Server Protocol*, Connection).
        let mut greeting = [0; 5];
        stream.read_exact(&mut greeting).is_ok() && greeting[4] == 10
    }

    fn pid_file(&self) -> PathBuf {
        self.folder.join("pid")
    }

    fn log(&self) -> PathBuf {
        self.folder.join("error.log")
    }

    /// The last error logged behind byte `from`.
    pub fn last_error(&self, from: u64) -> Option<String> {
        let log = std::fs::read(self.log()).unwrap_or_default();
        let new = log.get(from as usize..).unwrap_or_default();
        let new = String::from_utf8_lossy(new);
        let line = new.lines().rfind(|l| l.contains("[ERROR]"));
        let said = line?.split("[ERROR]").nth(1)?.trim();
        Some(said.to_owned())
    }

    /// How much has been logged so far.
    pub fn logged(&self) -> u64 {
        std::fs::metadata(self.log()).map_or(0, |m| m.len())
    }
}

/// Ends a server in order, by force when it does not follow.
pub(super) fn end(child: &mut Child) {
    if let Some(pid) = Pid::from_raw(child.id() as i32) {
        let _ = kill_process(pid, Signal::TERM);
    }
    let deadline = Instant::now() + PATIENCE;
    while Instant::now() < deadline {
        if !matches!(child.try_wait(), Ok(None)) {
            return;
        }
        std::thread::sleep(STEP);
    }
    let _ = child.kill();
    let _ = child.wait();
}

/// A command whose process is asked to end when the thread that starts it ends, that is, with us (prctl(2),
/// PR_SET_PDEATHSIG; `setpriv` of util-linux sets it). Where there is no such program, the next start ends what was left.
fn bound_to_us(program: &Path) -> Command {
    match find("setpriv") {
        Ok(setpriv) => {
            let mut command = Command::new(setpriv);
            command.args(["--pdeathsig", "TERM"]).arg(program);
            command
        }
        Err(_) => Command::new(program),
    }
}

fn option(name: &str, path: &Path) -> std::ffi::OsString {
    let mut arg = std::ffi::OsString::from(format!("--{name}="));
    arg.push(path);
    arg
}

/// The server refuses to run as root unless told to.
fn as_root() -> Option<&'static str> {
    let root = std::fs::metadata("/proc/self").is_ok_and(|m| m.uid() == 0);
    root.then_some("--user=root")
}

/// Paths of sockets may have 107 bytes; a folder that is too deep gets one in a folder of its own among the temporary
/// files.
fn socket_path(folder: &Path) -> Result<PathBuf, StoreError> {
    let inside = folder.join("sock");
    if inside.as_os_str().len() <= 100 {
        return Ok(inside);
    }
    let hash = blake3::hash(folder.as_os_str().as_encoded_bytes()).to_hex();
    let own = std::env::temp_dir().join(format!("ectome-{}", &hash[..16]));
    folder::private(&own)?;
    Ok(own.join("sock"))
}

/// Looks for a program in the search path and where Debian keeps servers.
fn find(name: &'static str) -> Result<PathBuf, StoreError> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path)
        .chain(["/usr/sbin", "/usr/bin"].map(PathBuf::from))
        .map(|folder| folder.join(name))
        .find(|candidate| candidate.is_file())
        .ok_or(StoreError::NotInstalled(name))
}
