//! How work ends: stopped, put back, crashed, out of room; and what is left of it.

use std::time::{Duration, Instant};

use crate::common::{Fixture, sheet};
use ectome_recipe::{Brief, Inspection};
use ectome_store::{
    StoreError,
    asset::{AssetState, NewAsset, PassOn, Provenance, SourceFile},
    candidate::CandidateState,
    work::{Accepts, Lane, MOST_CRASHES, State},
    worker,
};
use tokio::sync::watch;

/// A worker that runs until it is told to stop.
struct Running {
    stop: watch::Sender<bool>,
    task: tokio::task::JoinHandle<()>,
}

impl Running {
    fn start(f: &Fixture) -> Self {
        let (stop, stopping) = watch::channel(false);
        let task = tokio::spawn(worker::run(f.store.clone(), Accepts::all(), stopping));
        Self { stop, task }
    }

    async fn end(self) {
        let _ = self.stop.send(true);
        self.task.await.unwrap();
    }
}

async fn until(what: &str, mut there: impl AsyncFnMut() -> bool) {
    let deadline = Instant::now() + Duration::from_secs(60);
    while !there().await {
        assert!(Instant::now() < deadline, "never happened: {what}");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn clean_stops_are_no_crashes_and_crashes_are_counted() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(400)).await;
    for _ in 0..5 {
        let running = Running::start(&f);
        until("the intake runs", async || {
            f.store.latest_work(1).await.unwrap()[0].state != State::Queued
        })
        .await;
        running.end().await;
        let w = &f.store.latest_work(10).await.unwrap();
        let intake = w.last().unwrap();
        assert_eq!(intake.crashes, 0, "{intake:?}");
        if intake.state == State::Done {
            break;
        }
        assert_eq!(intake.state, State::Queued, "{intake:?}");
    }
    f.work_off().await;
    let asset = f.store.asset(a.id).await.unwrap();
    assert_eq!(asset.state(), AssetState::Ready, "{:?}", asset.fault);

    // Workers that vanish in the middle of it: after so many, it is not tried again, and says what is known.
    f.store.ask_for_cut(&asset, 1000).await.unwrap();
    for n in 0..MOST_CRASHES {
        let w = f
            .store
            .take_work("gone", Lane::Any, &Accepts::all())
            .await
            .unwrap()
            .unwrap();
        assert_eq!(w.crashes, n);
        f.store.release_leases(|w| w == "gone").await.unwrap();
    }
    f.work_off().await;
    let made = &f.store.tray(a.id).await.unwrap()[0];
    assert_eq!(made.state, CandidateState::Failed);
    let fault = made.fault.as_ref().unwrap();
    assert!(
        fault.contains("ended 3 times") && fault.contains("does not know why"),
        "{fault}"
    );
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn stopped_work_ends_at_once_and_is_not_taken_again() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(300)).await;
    f.work_off().await;
    let a = f.store.asset(a.id).await.unwrap();
    f.store.ask_for_cut(&a, 1000).await.unwrap();
    let w = f
        .store
        .take_work("gone", Lane::Any, &Accepts::all())
        .await
        .unwrap()
        .unwrap();
    f.store.stop_work(w.id).await.unwrap();
    let row =
        |list: Vec<ectome_store::work::Work>| list.into_iter().find(|x| x.id == w.id).unwrap();
    assert_eq!(
        row(f.store.latest_work(9).await.unwrap()).state,
        State::Stopped
    );
    // Whoever held it learns of it, and a restart does not take it up.
    assert!(!f.store.heartbeat(&w, "gone", 0.5, "x", 0).await.unwrap());
    f.store.release_leases(|w| w == "gone").await.unwrap();
    f.work_off().await;
    assert_eq!(
        row(f.store.latest_work(9).await.unwrap()).state,
        State::Stopped
    );
    let made = &f.store.tray(a.id).await.unwrap()[0];
    assert!(made.fault.as_ref().unwrap().contains("stopped"));
    f.end().await;
}

/// Wherever a piece of work is, a worker lets go of it within a second of its row saying so.
#[tokio::test(flavor = "multi_thread")]
async fn a_worker_lets_go_of_removed_work_and_does_the_next() {
    let f = Fixture::new().await;
    let running = Running::start(&f);
    for _ in 0..3 {
        let a = f.asset("heavy", &sheet(450)).await;
        until("it runs", async || {
            let w = f.store.latest_work(1).await.unwrap();
            w[0].asset == a.id && w[0].state == State::Running && w[0].fraction > 0.0
        })
        .await;
        f.store.remove_asset(a.id).await.unwrap();
        let next = f.asset("light", &sheet(2)).await;
        let begun = Instant::now();
        until("the next is done", async || {
            f.store.asset(next.id).await.unwrap().state() == AssetState::Ready
        })
        .await;
        assert!(
            begun.elapsed() < Duration::from_secs(20),
            "{:?}",
            begun.elapsed()
        );
        f.store.remove_asset(next.id).await.unwrap();
    }
    running.end().await;
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn light_work_does_not_wait_behind_heavy_work() {
    let f = Fixture::new().await;
    let heavy = f.asset("heavy", &sheet(320)).await;
    f.work_off().await;
    let heavy = f.store.asset(heavy.id).await.unwrap();
    assert!(heavy.inspection.as_ref().unwrap().triangles > 200_000);
    f.store.ask_for_cut(&heavy, 1000).await.unwrap();
    let light = f.asset("light", &sheet(3)).await;
    // The light lane passes over what is heavy; the other takes that first.
    let w = f
        .store
        .take_work("light", Lane::Light, &Accepts::all())
        .await
        .unwrap()
        .unwrap();
    assert_eq!(w.asset, light.id);
    assert!(
        f.store
            .take_work("light", Lane::Light, &Accepts::all())
            .await
            .unwrap()
            .is_none()
    );
    let w = f
        .store
        .take_work("heavy", Lane::Any, &Accepts::all())
        .await
        .unwrap()
        .unwrap();
    assert_eq!(w.asset, heavy.id);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_file_can_hold_fits_its_columns_or_is_a_sentence() {
    const MATERIALS: usize = 3000;
    let f = Fixture::new().await;
    // Thousands of materials on one part, with long names; parts with names of any length.
    let name = "spar ".repeat(60);
    let mut obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\n".to_owned();
    let mut mtl = String::new();
    for m in 0..MATERIALS {
        obj += &format!("usemtl {name}{m}\nf 1 2 3\n");
        mtl += &format!("newmtl {name}{m}\nKd 0.1 0.2 0.3\n");
    }
    obj += &format!("o {}\nf 1 3 2\n", "long".repeat(20_000));
    let obj = format!("mtllib m.mtl\n{obj}");
    let brief = f.store.briefs().await.unwrap()[0].id;
    let mut files = Vec::new();
    for (name, text) in [("many.obj", obj), ("m.mtl", mtl)] {
        files.push(SourceFile {
            name: name.to_owned(),
            bytes: text.len() as u64,
            blob: f.store.blobs.put(text).await.unwrap(),
        });
    }
    let id = f.store.add_asset("Many", brief, &files).await.unwrap();
    f.work_off().await;
    let asset = f.store.asset(id).await.unwrap();
    assert_eq!(asset.state(), AssetState::Ready, "{:?}", asset.fault);
    let seen: &Inspection = asset.inspection.as_ref().unwrap();
    assert_eq!(seen.materials.len(), MATERIALS);

    // A document beyond any column is refused with a sentence, once.
    let names: String = (0..300)
        .map(|i| format!("o {}{i}\nf 1 2 3\n", "x".repeat(150_000)))
        .collect();
    let wide = f
        .asset("wide", &format!("v 0 0 0\nv 1 0 0\nv 0 1 0\n{names}"))
        .await;
    f.work_off().await;
    let wide = f.store.asset(wide.id).await.unwrap();
    assert_eq!(wide.state(), AssetState::Failed);
    assert!(wide.fault.unwrap().contains("more than the 33 MB"));
    let work = f.store.latest_work(20).await.unwrap();
    assert!(
        work.iter()
            .all(|w| w.state != State::Queued && w.attempts == 1),
        "{work:?}"
    );

    // What people type is kept whole or refused, never cut short in silence.
    let long = "x".repeat(1_900_000);
    let by = |author: String| Provenance {
        author,
        may_pass_on: PassOn::Yes,
        ..Provenance::default()
    };
    let refused = f.store.set_provenance(id, &by(long.clone())).await;
    assert!(matches!(
        refused,
        Err(StoreError::TooLong {
            what: "The author",
            ..
        })
    ));
    f.store
        .set_provenance(id, &by("ä".repeat(200)))
        .await
        .unwrap();
    let kept = f.store.asset(id).await.unwrap().provenance.author;
    assert_eq!(kept.chars().count(), 200);
    let mut own = Brief::from_limits("Our own", &[500]).unwrap();
    own.name = long.clone();
    assert!(matches!(
        f.store.put_brief(None, &own).await,
        Err(StoreError::TooLong { .. })
    ));
    assert!(matches!(
        f.store.add_asset(&long, brief, &[]).await,
        Err(StoreError::TooLong { .. })
    ));
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn several_assets_are_added_together_or_not_at_all() {
    let f = Fixture::new().await;
    let brief = f.store.briefs().await.unwrap()[0].id;
    let new = |name: &str| NewAsset {
        name: name.to_owned(),
        brief,
        files: Vec::new(),
        low: Vec::new(),
    };
    let rows = f.store.add_assets(&[new("a"), new("b")]).await.unwrap();
    assert_eq!(rows.len(), 2);
    let broken = NewAsset {
        brief: 999_999,
        ..new("d")
    };
    assert!(f.store.add_assets(&[new("c"), broken]).await.is_err());
    assert_eq!(f.store.assets().await.unwrap().len(), 2);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn work_waits_for_room_on_the_disk() {
    let f = Fixture::with_reserve(u64::MAX / 2).await;
    f.asset("sheet", &sheet(2)).await;
    assert!(f.store.disk.is_low());
    assert!(matches!(
        f.store.disk.needs(1),
        Err(StoreError::NoSpace { .. })
    ));
    let running = Running::start(&f);
    tokio::time::sleep(Duration::from_millis(900)).await;
    let w = &f.store.latest_work(1).await.unwrap()[0];
    assert_eq!((w.state, w.attempts), (State::Queued, 0));
    running.end().await;
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn removing_an_asset_frees_what_no_other_asset_needs() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(20)).await;
    let b = f.asset("sheet", &sheet(20)).await;
    let c = f.asset("other", &sheet(21)).await;
    f.work_off().await;
    for id in [a.id, c.id] {
        let asset = f.store.asset(id).await.unwrap();
        f.store.ask_for_cut(&asset, 100).await.unwrap();
    }
    f.work_off().await;
    // Everything is named: nothing goes.
    assert_eq!(f.store.collect().await.unwrap().blobs, 0);
    let all = f.store.blobs.all().await.unwrap().len();
    f.store.remove_asset(c.id).await.unwrap();
    let freed = f.store.collect().await.unwrap();
    assert!(freed.blobs >= 5 && freed.bytes > 0, "{freed:?}");
    // What a shared with b stays while b is there, and b can still be cut.
    f.store.remove_asset(a.id).await.unwrap();
    f.store.collect().await.unwrap();
    let b = f.store.asset(b.id).await.unwrap();
    for blob in [b.view.as_ref(), b.picture.as_ref(), b.marks.as_ref()] {
        f.store.blobs.get(blob.unwrap()).await.unwrap();
    }
    f.store.ask_for_cut(&b, 100).await.unwrap();
    f.work_off().await;
    assert_eq!(
        f.store.tray(b.id).await.unwrap()[0].state,
        CandidateState::Ready
    );
    f.store.remove_asset(b.id).await.unwrap();
    f.store.collect().await.unwrap();
    let left = f.store.blobs.all().await.unwrap();
    assert!(left.is_empty(), "{} of {all} are left", left.len());
    f.end().await;
}
