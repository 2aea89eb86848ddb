//! A store with a real MariaDB of the test's own.
#![allow(dead_code, reason = "each test file uses its own share of this")]

use std::time::{Duration, Instant};

use ectome_recipe::starting_briefs;
use ectome_store::{
    Store,
    asset::{Asset, SourceFile},
    blobs::Blobs,
    database::PrivateServer,
    disk::Disk,
    work::Accepts,
    worker,
};
use tokio::sync::watch;

/// A store in a folder that goes with the test.
pub struct Fixture {
    /// The store.
    pub store: Store,
    /// Its database.
    pub server: PrivateServer,
    /// Where everything lies.
    pub folder: tempfile::TempDir,
}

impl Fixture {
    /// An empty store with the starting briefs.
    pub async fn new() -> Self {
        Self::with_reserve(0).await
    }

    /// The same where so many bytes of the disk shall stay free.
    pub async fn with_reserve(reserve: u64) -> Self {
        let folder = tempfile::tempdir().unwrap();
        ectome_testing::database::seed(&folder.path().join("database"));
        let server = PrivateServer::start(&folder.path().join("database"))
            .await
            .unwrap();
        let blobs = Blobs::in_folder(&folder.path().join("blobs")).unwrap();
        let disk = Disk::of(folder.path(), reserve);
        let store = Store::open(server.connection(), blobs, disk).await.unwrap();
        store
            .add_briefs(&starting_briefs::starting())
            .await
            .unwrap();
        Self {
            store,
            server,
            folder,
        }
    }

    /// An asset from OBJ text.
    pub async fn asset(&self, name: &str, obj: &str) -> Asset {
        let brief = self.store.briefs().await.unwrap()[0].id;
        let file = SourceFile {
            name: format!("{name}.obj"),
            bytes: obj.len() as u64,
            blob: self.store.blobs.put(obj.to_owned()).await.unwrap(),
        };
        let id = self.store.add_asset(name, brief, &[file]).await.unwrap();
        self.store.asset(id).await.unwrap()
    }

    /// Lets a worker run until nothing is left to do.
    pub async fn work_off(&self) {
        let (stop, stopping) = watch::channel(false);
        let worker = tokio::spawn(worker::run(self.store.clone(), Accepts::all(), stopping));
        let deadline = Instant::now() + Duration::from_secs(300);
        loop {
            // A database that is busy for long is asked again, as the application does.
            let latest = self.store.latest_work(50).await;
            match &latest {
                Ok(latest) if latest.iter().all(|w| w.state.is_over()) => break,
                Ok(_) => {}
                Err(error) => assert!(error.is_outage(), "{error}"),
            }
            assert!(Instant::now() < deadline, "work never ends: {latest:?}");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        stop.send(true).unwrap();
        worker.await.unwrap();
    }

    /// Stops everything.
    pub async fn end(self) {
        self.store.close().await;
        self.server.stop().await;
        drop(self.folder);
    }
}

/// A bumpy sheet of `n` × `n` quads as OBJ text.
pub fn sheet(n: usize) -> String {
    let mut text = String::new();
    for j in 0..=n {
        for i in 0..=n {
            let z = (i as f32 * 0.7).sin() * (j as f32 * 0.4).cos() * 0.2;
            text += &format!("v {i} {j} {z}\n");
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i + 1;
            text += &format!("f {} {} {} {}\n", a, a + 1, a + n + 2, a + n + 1);
        }
    }
    text
}
