//! Several workers on one database and one object store, each with its own connections, as on several machines.

use std::time::Duration;

use crate::common::{Fixture, sheet};
use ectome_store::{
    Store, StoreError,
    asset::AssetState,
    blobs::Blobs,
    database::{Connection, PrivateServer},
    disk::Disk,
    work::{Accepts, Kind, Lane, State},
    worker,
};
use ectome_testing::object_store::ObjectStore;
use tokio::{sync::watch, task::JoinHandle};

/// A store as another machine opens it: by URLs.
async fn by_url(f: &Fixture) -> Store {
    let folder = f.folder.path().join("blobs");
    let blobs = Blobs::at(&format!("file://{}", folder.display())).unwrap();
    opened(&f.server, blobs, f).await
}

async fn opened(server: &PrivateServer, blobs: Blobs, f: &Fixture) -> Store {
    let connection = Connection::at(server.address()).unwrap();
    let disk = Disk::of(f.folder.path(), 0);
    Store::open(&connection, blobs, disk).await.unwrap()
}

/// A worker that stops when told to.
struct Worker {
    stop: watch::Sender<bool>,
    task: JoinHandle<()>,
}

impl Worker {
    fn of(store: &Store, kinds: &[Kind], memory: u64) -> Self {
        let (stop, stopping) = watch::channel(false);
        let accepts = Accepts {
            kinds: kinds.to_vec(),
            memory,
        };
        let task = tokio::spawn(worker::run(store.clone(), accepts, stopping));
        Self { stop, task }
    }

    async fn end(self) {
        self.stop.send(true).unwrap();
        self.task.await.unwrap();
    }
}

async fn until(store: &Store, is_so: impl Fn(&[ectome_store::work::Work]) -> bool) {
    for _ in 0..600 {
        if is_so(&store.latest_work(50).await.unwrap()) {
            return;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("{:?}", store.latest_work(50).await.unwrap());
}

#[tokio::test(flavor = "multi_thread")]
async fn each_worker_takes_the_kinds_it_was_told_and_together_they_do_everything() {
    let f = Fixture::new().await;
    let second = by_url(&f).await;
    let asset = f.asset("sheet", &sheet(20)).await;
    let reader = Worker::of(&f.store, &[Kind::Intake], u64::MAX);
    // The analysis waits, and its row says that nobody would take it.
    until(&second, |work| {
        let read = work
            .iter()
            .any(|w| w.kind == Kind::Intake && w.state == State::Done);
        let waits = work.iter().any(|w| w.kind == Kind::Analyse && !w.accepted);
        read && waits
    })
    .await;
    let rest = [Kind::Prepare, Kind::Analyse, Kind::Make];
    let doer = Worker::of(&second, &rest, u64::MAX);
    let asset = f.store.asset(asset.id).await.unwrap();
    assert_eq!(asset.state(), AssetState::Ready);
    f.store.ask_for_cut(&asset, 100).await.unwrap();
    until(&second, |work| work.iter().all(|w| w.state == State::Done)).await;
    let cut = &f.store.tray(asset.id).await.unwrap()[0];
    // What one machine wrote the other reads.
    let artefacts = f.store.artefacts(&cut.hash).await.unwrap();
    let mesh = artefacts.of(ectome_store::artefact::kind::MESH).unwrap();
    assert!(!second.blobs.open(mesh).await.unwrap().is_empty());
    reader.end().await;
    doer.end().await;
    second.close().await;
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn work_that_does_not_fit_into_a_worker_is_left_for_one_with_more_memory() {
    let f = Fixture::new().await;
    f.asset("sheet", &sheet(20)).await;
    let small = Accepts {
        memory: 1 << 20,
        ..Accepts::all()
    };
    let taken = f.store.take_work("small", Lane::Any, &small).await.unwrap();
    assert!(taken.is_none());
    let large = Accepts {
        memory: 1 << 30,
        ..Accepts::all()
    };
    f.store.report_worker("small", &small).await.unwrap();
    assert!(!f.store.latest_work(1).await.unwrap()[0].accepted);
    f.store.report_worker("large", &large).await.unwrap();
    assert!(f.store.latest_work(1).await.unwrap()[0].accepted);
    let taken = f.store.take_work("large", Lane::Any, &large).await.unwrap();
    assert_eq!(taken.unwrap().worker.as_deref(), Some("large"));
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn blobs_that_another_process_is_about_to_name_are_not_taken_away() {
    let f = Fixture::new().await;
    let second = by_url(&f).await;
    let naming = second.naming().await.unwrap();
    let blob = second.blobs.put(&b"rope"[..]).await.unwrap();
    let collecting = {
        let store = f.store.clone();
        tokio::spawn(async move { store.collect().await })
    };
    tokio::time::sleep(Duration::from_millis(700)).await;
    assert!(!collecting.is_finished(), "it waits for the other");
    assert!(f.store.blobs.get(&blob).await.is_ok());
    naming.confirm().await.unwrap();
    drop(naming);
    let freed = collecting.await.unwrap().unwrap();
    assert_eq!(freed.blobs, 1);
    assert!(second.blobs.get(&blob).await.is_err());
    second.close().await;
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn whoever_lost_the_lock_while_storing_is_told_to_store_again() {
    let f = Fixture::new().await;
    let naming = f.store.naming().await.unwrap();
    naming.confirm().await.unwrap();
    let process = f.server.process().unwrap().to_string();
    let killed = std::process::Command::new("kill")
        .args(["-9", &process])
        .status();
    assert!(killed.unwrap().success());
    // Another that begins now gets a lock of its own once the database is back.
    let again = f.store.naming();
    assert!(matches!(
        naming.confirm().await,
        Err(StoreError::NamingLost)
    ));
    drop(naming);
    again.await.unwrap().confirm().await.unwrap();
    f.end().await;
}

/// Against the store that `ECTOME_S3=s3://bucket/prefix` names, with `AWS_…` set; where it names none, a stand-in is started and this
/// test runs again in a process that finds it in its environment.
#[tokio::test(flavor = "multi_thread")]
async fn two_workers_share_an_object_store_that_speaks_s3() {
    let Ok(address) = std::env::var("ECTOME_S3") else {
        let standin = ObjectStore::start("props");
        let again = std::process::Command::new(std::env::current_exe().unwrap())
            .args(["--exact", "--nocapture"])
            .arg("workers::two_workers_share_an_object_store_that_speaks_s3")
            .env("ECTOME_S3", "s3://props/ectome")
            .envs(standin.environment())
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&again.stdout);
        assert!(again.status.success(), "{said}");
        assert!(said.contains("1 passed"), "{said}");
        return;
    };
    let f = Fixture::new().await;
    let mut stores = Vec::new();
    for _ in 0..2 {
        let blobs = Blobs::at(&address).unwrap();
        blobs.check().await.unwrap();
        stores.push(opened(&f.server, blobs, &f).await);
    }
    let [first, second] = &stores[..] else {
        panic!("two stores")
    };
    let large: Vec<u8> = (0..40_000_003_u32).map(|i| (i % 251) as u8).collect();
    let naming = first.naming().await.unwrap();
    let blob = first.blobs.put(large.clone()).await.unwrap();
    assert!(second.blobs.open(&blob).await.unwrap()[..] == large[..]);
    let obj = sheet(120);
    let file = ectome_store::asset::SourceFile {
        name: "sheet.obj".to_owned(),
        bytes: obj.len() as u64,
        blob: first.blobs.put(obj).await.unwrap(),
    };
    let brief = first.briefs().await.unwrap()[0].id;
    let id = first.add_asset("sheet", brief, &[file]).await.unwrap();
    naming.confirm().await.unwrap();
    drop(naming);
    let reader = Worker::of(first, &[Kind::Intake, Kind::Prepare], u64::MAX);
    let doer = Worker::of(second, &[Kind::Analyse, Kind::Make], u64::MAX);
    until(first, |work| work.iter().all(|w| w.state == State::Done)).await;
    let asset = first.asset(id).await.unwrap();
    first.ask_for_cut(&asset, 1_000).await.unwrap();
    until(first, |work| work.iter().all(|w| w.state == State::Done)).await;
    let cut = &second.tray(id).await.unwrap()[0];
    assert!(cut.triangles.is_some_and(|n| n <= 1_000));
    // What nobody names goes: the large blob, and the one that the check wrote.
    let freed = second.collect().await.unwrap();
    assert_eq!(freed.blobs, 2);
    assert!(first.blobs.get(&blob).await.is_err());
    let artefacts = first.artefacts(&cut.hash).await.unwrap();
    for kind in ["mesh", "picture"] {
        let blob = artefacts.of(kind).unwrap();
        assert!(!first.blobs.get(blob).await.unwrap().is_empty());
    }
    first.remove_asset(id).await.unwrap();
    second.collect().await.unwrap();
    assert!(first.blobs.all().await.unwrap().is_empty());
    reader.end().await;
    doer.end().await;
    for store in &stores {
        store.close().await;
    }
    f.end().await;
}

/// A worker that starts while somebody collects finds the store in order all the same: what it puts there to see that it can is named by
/// nobody, and may be taken away before it is read.
#[tokio::test(flavor = "multi_thread")]
async fn a_store_is_in_order_while_it_is_swept() {
    let f = Fixture::new().await;
    let second = by_url(&f).await;
    let sweeping = tokio::spawn(async move {
        for _ in 0..60 {
            second.collect().await.unwrap();
        }
        second.close().await;
    });
    while !sweeping.is_finished() {
        f.store.blobs.check().await.unwrap();
    }
    sweeping.await.unwrap();
    f.end().await;
}
