//! A MariaDB of our own: its data in our folder, on loopback, our port, our socket.

use std::{
    net::{Ipv4Addr, TcpListener},
    os::unix::fs::MetadataExt,
    path::{Path, PathBuf},
    process::Stdio,
    time::Duration,
};

use tokio::process::{Child, Command};

use crate::StoreError;

/// How long the server may take to come up or go down.
const PATIENCE: Duration = Duration::from_secs(40);

/// A running server. It stops with [`PrivateServer::stop`]; if the application is killed instead, the
/// server goes on and the next start finds and uses it.
pub struct PrivateServer {
    folder: PathBuf,
    socket: PathBuf,
    /// Absent when a server of an earlier start is used.
    child: Option<Child>,
}

impl PrivateServer {
    /// Starts the server of `folder`, making its data on first use, or joins the one that runs there.
    ///
    /// # Errors
    /// [`StoreError::NotInstalled`], [`StoreError::PortTaken`], [`StoreError::NotStarted`].
    pub async fn start(folder: &Path, port: u16) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)
            .map_err(|e| StoreError::File(folder.to_owned(), e.to_string()))?;
        let folder = folder
            .canonicalize()
            .map_err(|e| StoreError::File(folder.to_owned(), e.to_string()))?;
        let mut server = Self {
            socket: socket_path(&folder),
            folder,
            child: None,
        };
        if server.answers().await {
            return Ok(server);
        }
        let daemon = find("mariadbd")?;
        if !server.folder.join("data/mysql").exists() {
            server.install().await?;
        }
        if TcpListener::bind((Ipv4Addr::LOCALHOST, port)).is_err() {
            return Err(StoreError::PortTaken(port));
        }
        let mut command = Command::new(daemon);
        command
            .arg("--no-defaults")
            .args(as_root())
            .arg(option("datadir", &server.folder.join("data")))
            .arg(option("socket", &server.socket))
            .arg(option("pid-file", &server.folder.join("pid")))
            .arg(option("log-error", &server.folder.join("error.log")))
            .arg(option("tmpdir", &server.folder))
            .args(["--bind-address=127.0.0.1", "--max-allowed-packet=64M"])
            .arg(format!("--port={port}"))
            .args([
                "--character-set-server=utf8mb4",
                "--collation-server=utf8mb4_bin",
                "--innodb-flush-log-at-trx-commit=1",
            ])
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            // Ctrl-C in the terminal must reach the application only, which then stops us in order.
            .process_group(0);
        let mut child = command
            .spawn()
            .map_err(|e| StoreError::NotStarted(e.to_string()))?;
        let deadline = tokio::time::Instant::now() + PATIENCE;
        while !server.answers().await {
            let gone = child.try_wait().ok().flatten().is_some();
            if gone || tokio::time::Instant::now() > deadline {
                return Err(StoreError::NotStarted(server.last_error()));
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        server.child = Some(child);
        Ok(server)
    }

    /// The socket to connect to, as `root` without a password.
    pub fn socket(&self) -> &Path {
        &self.socket
    }

    /// Shuts the server down and waits until it is gone.
    pub async fn stop(mut self) {
        let _ = self.admin("shutdown").await;
        if let Some(child) = &mut self.child {
            let _ = tokio::time::timeout(PATIENCE, child.wait()).await;
        }
    }

    async fn install(&self) -> Result<(), StoreError> {
        let output = Command::new(find("mariadb-install-db")?)
            .args([
                "--no-defaults",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
            ])
            .args(as_root())
            .arg(option("datadir", &self.folder.join("data")))
            // Two installations at once would clash in the folder all share.
            .arg(option("tmpdir", &self.folder))
            .output()
            .await
            .map_err(|e| StoreError::NotStarted(e.to_string()))?;
        if output.status.success() {
            Ok(())
        } else {
            Err(StoreError::NotStarted(
                String::from_utf8_lossy(&output.stderr).trim().to_owned(),
            ))
        }
    }

    async fn answers(&self) -> bool {
        self.socket.exists() && self.admin("ping").await
    }

    async fn admin(&self, what: &str) -> bool {
        let Ok(admin) = find("mariadb-admin") else {
            return false;
        };
        Command::new(admin)
            .arg("--no-defaults")
            .arg(option("socket", &self.socket))
            .args(["-uroot", what])
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status()
            .await
            .is_ok_and(|s| s.success())
    }

    fn last_error(&self) -> String {
        let log = std::fs::read_to_string(self.folder.join("error.log")).unwrap_or_default();
        log.lines()
            .rfind(|l| l.contains("[ERROR]"))
            .unwrap_or("it gave no reason; see error.log in its folder")
            .to_owned()
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

/// Paths of sockets may have 107 bytes; a folder that is too deep gets one in the folder for
/// temporary files.
fn socket_path(folder: &Path) -> PathBuf {
    let inside = folder.join("sock");
    if inside.as_os_str().len() <= 100 {
        return inside;
    }
    let hash = blake3::hash(folder.as_os_str().as_encoded_bytes()).to_hex();
    std::env::temp_dir().join(format!("ectome-{}.sock", &hash[..16]))
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
