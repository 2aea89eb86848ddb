//! A stand-in for an object store that speaks S3: `moto_server`, which `./check` installs.

use std::{
    io::{Read, Write},
    net::TcpStream,
    path::Path,
    process::{Child, Command, Stdio},
};

use crate::port;

/// A running stand-in with one bucket; it ends when this is dropped.
pub struct ObjectStore {
    child: Child,
    port: u16,
}

impl ObjectStore {
    /// Starts it and makes the bucket.
    ///
    /// # Panics
    /// When it is not installed.
    pub fn start(bucket: &str) -> Self {
        let program =
            Path::new(env!("CARGO_MANIFEST_DIR")).join("../tools/standins/venv/bin/moto_server");
        let mut child = Command::new(program)
            .args(["-H", "127.0.0.1", "-p", "0"])
            .env("PYTHONUNBUFFERED", "1")
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .expect("moto_server; ./check installs it");
        let output = child.stderr.take().expect("its output is piped");
        let port = port::said(output, "127.0.0.1:").expect("it says its port");
        let store = Self { child, port };
        let answer = store.put(&format!("/{bucket}"));
        assert!(answer.starts_with("HTTP/1.1 200"), "{answer}");
        store
    }

    /// What a program has to find in its environment to use it.
    pub fn environment(&self) -> [(&'static str, String); 5] {
        [
            (
                "AWS_ENDPOINT_URL",
                format!("http://127.0.0.1:{}", self.port),
            ),
            ("AWS_ALLOW_HTTP", "true".to_owned()),
            ("AWS_REGION", "us-east-1".to_owned()),
            ("AWS_ACCESS_KEY_ID", "a".to_owned()),
            ("AWS_SECRET_ACCESS_KEY", "b".to_owned()),
        ]
    }

    fn put(&self, path: &str) -> String {
        let mut stream =
            TcpStream::connect(("127.0.0.1", self.port)).expect("the stand-in listens");
        write!(
            stream,
            "PUT {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n",
            self.port
        )
        .expect("it reads");
        let mut answer = String::new();
        stream.read_to_string(&mut answer).expect("it answers");
        answer
    }
}

impl Drop for ObjectStore {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
