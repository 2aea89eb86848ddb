//! Parcels as work: kept, found again, made once, waiting for tiers, failing with them and going on with them.

use crate::common::{Fixture, sheet};
use ectome_recipe::Brief;
use ectome_store::{
    asset::Asset,
    chain::{ChainTier, Fill},
    parcel::{ParcelState, ParcelsWanted},
    work::{Accepts, Lane, State},
};

const BRIEF: &str = "name = \"Quay\"\nformats = [\"glb\", \"obj\"]\n[[tier]]\ntriangles = 300\n[[tier]]\ntriangles = 100\n";

fn all() -> ParcelsWanted {
    ParcelsWanted {
        most: 10,
        ..ParcelsWanted::default()
    }
}

/// An asset whose chain is asked for and not made yet.
async fn chained(f: &Fixture, name: &str) -> (Asset, Brief, Vec<ChainTier>) {
    let id = f.asset(name, &sheet(16)).await.id;
    f.work_off().await;
    let asset = f.store.asset(id).await.unwrap();
    f.store
        .ask_for_chain(&asset, &[Fill::to(300), Fill::to(100)], None)
        .await
        .unwrap();
    let chain = f.store.chain(id).await.unwrap();
    (asset, Brief::from_toml(BRIEF).unwrap(), chain)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_parcel_waits_for_its_tiers_and_is_found_again() {
    let f = Fixture::new().await;
    let (asset, brief, chain) = chained(&f, "Quay lamp").await;
    // The tiers are not made yet.
    let first = f
        .store
        .ask_for_parcel(&asset, &brief, &chain)
        .await
        .unwrap();
    assert_eq!(
        f.store
            .ask_for_parcel(&asset, &brief, &chain)
            .await
            .unwrap(),
        first
    );
    f.work_off().await;
    let parcel = f.store.parcel(first).await.unwrap();
    assert_eq!(
        (parcel.state, parcel.number),
        (ParcelState::Ready, 1),
        "{:?}",
        parcel.fault
    );
    let sheet_of = parcel.sheet.unwrap();
    assert_eq!(sheet_of.tiers.len(), 2);
    assert!(
        sheet_of.checks.iter().all(|c| c.passes),
        "{:?}",
        sheet_of.checks
    );
    let files = f.store.parcel_files(first).await.unwrap();
    let names: Vec<&str> = files.iter().map(|f| f.name.as_str()).collect();
    for name in [
        "quay_lamp_LOD0.glb",
        "quay_lamp_LOD1.obj",
        "sheet.json",
        "sheet.html",
    ] {
        assert!(names.contains(&name), "{names:?}");
    }
    assert_eq!(parcel.bytes, files.iter().map(|f| f.bytes).sum::<u64>());
    // Hashes on the sheet are those of the files that are kept.
    let glb = files
        .iter()
        .find(|f| f.name == "quay_lamp_LOD0.glb")
        .unwrap();
    let line = sheet_of.files.iter().find(|l| l.name == glb.name).unwrap();
    assert_eq!(line.blake3, glb.blob);

    // Another brief makes another parcel; the same one is not made twice.
    let mut other = brief.clone();
    other.formats = vec!["stl".to_owned()];
    let second = f
        .store
        .ask_for_parcel(&asset, &other, &chain)
        .await
        .unwrap();
    assert_ne!(second, first);
    f.work_off().await;
    for (find, expected) in [("lamp", 2), ("QUAY", 2), ("mast", 0), ("%", 0), ("quay", 2)] {
        let wanted = ParcelsWanted {
            search: find.to_owned(),
            ..all()
        };
        assert_eq!(
            f.store.parcels(&wanted).await.unwrap().len(),
            expected,
            "{find}"
        );
    }
    // Nothing that a parcel needs is collected, and everything goes with it.
    f.store.collect().await.unwrap();
    assert!(f.store.blobs.open(&glb.blob).await.is_ok());
    f.store.remove_parcel(first).await.unwrap();
    f.store.collect().await.unwrap();
    assert!(f.store.blobs.open(&glb.blob).await.is_err());
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_failed_with_a_tier_goes_on_with_it() {
    let f = Fixture::new().await;
    let (asset, brief, chain) = chained(&f, "lamp").await;
    let parcel = f
        .store
        .ask_for_parcel(&asset, &brief, &chain)
        .await
        .unwrap();
    // Somebody stops the first tier before it is made.
    let work = f.store.latest_work(50).await.unwrap();
    let tier = work
        .iter()
        .find(|w| w.candidate.as_ref() == Some(&chain[0].candidate.hash))
        .unwrap();
    f.store.stop_work(tier.id).await.unwrap();
    f.work_off().await;
    let failed = f.store.parcel(parcel).await.unwrap();
    assert_eq!(failed.state, ParcelState::Failed);
    let why = failed.fault.unwrap();
    assert!(
        why.starts_with("LOD0 could not be made") && why.contains("stopped"),
        "{why}"
    );
    // Asked for again, the tier takes the parcel along.
    let stopped = f.store.work(tier.id).await.unwrap();
    assert_eq!(stopped.state, State::Stopped);
    assert!(f.store.ask_again(&stopped).await.unwrap());
    f.work_off().await;
    let made = f.store.parcel(parcel).await.unwrap();
    assert_eq!(made.state, ParcelState::Ready, "{:?}", made.fault);
    assert_eq!(made.sheet.unwrap().tiers.len(), 2);
    // What is done cannot be asked for again.
    let done = f.store.latest_work(50).await.unwrap();
    let done = done.iter().find(|w| w.state == State::Done).unwrap();
    assert!(!f.store.ask_again(done).await.unwrap());
    let log = f.store.work_log(done.id).await.unwrap();
    assert!(log.first().unwrap().says.starts_with("Taken by"), "{log:?}");
    assert_eq!(log.last().unwrap().says, "Done");
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn hurried_work_comes_first() {
    let f = Fixture::new().await;
    let mut ids = Vec::new();
    for n in 0..3 {
        ids.push(f.asset(&format!("lamp {n}"), &sheet(8)).await.id);
    }
    let work = f.store.latest_work(50).await.unwrap();
    let last = work.iter().find(|w| w.asset == ids[2]).unwrap();
    f.store.hurry_work(last.id).await.unwrap();
    let next = f
        .store
        .take_work("one", Lane::Any, &Accepts::all())
        .await
        .unwrap()
        .unwrap();
    assert_eq!(next.asset, ids[2], "the hurried one is not the first");
    f.end().await;
}
