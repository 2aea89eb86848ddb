//! The queue and the tray against a real MariaDB of the test's own.

use std::{collections::HashSet, time::Duration};

use crate::common::{Fixture, sheet};
use ectome_store::{
    asset::AssetState,
    candidate::CandidateState,
    chain::Fill,
    work::{Accepts, Lane, State},
};

#[tokio::test(flavor = "multi_thread")]
async fn workers_never_take_the_same_work_and_a_lost_lease_is_taken_again() {
    let f = Fixture::new().await;
    for i in 0..6 {
        f.asset(&format!("sheet {i}"), &sheet(2)).await;
    }
    let mut takers = Vec::new();
    for i in 0..6 {
        let store = f.store.clone();
        takers.push(tokio::spawn(async move {
            store
                .take_work(&format!("worker {i}"), Lane::Any, &Accepts::all())
                .await
                .unwrap()
        }));
    }
    let mut taken = Vec::new();
    for t in takers {
        taken.extend(t.await.unwrap());
    }
    // Skipping locked rows may leave one for later, but never gives one twice.
    let ids: HashSet<u64> = taken.iter().map(|w| w.id).collect();
    assert_eq!(ids.len(), taken.len());
    while let Some(w) = f
        .store
        .take_work("late", Lane::Any, &Accepts::all())
        .await
        .unwrap()
    {
        taken.push(w);
    }
    assert_eq!(taken.len(), 6);

    // A worker that comes back under its name was dead: its work is free again, once.
    let late: Vec<_> = taken.iter().filter(|w| w.attempts == 1).collect();
    assert_eq!(late.len(), 6);
    f.store.release_leases(|w| w == "worker 0").await.unwrap();
    f.store.release_leases(|w| w == "late").await.unwrap();
    let again = f
        .store
        .take_work("next", Lane::Any, &Accepts::all())
        .await
        .unwrap()
        .unwrap();
    assert_eq!(again.attempts, 2);
    // Whoever held it before may neither renew nor end it.
    let before = taken.iter().find(|w| w.id == again.id).unwrap();
    for name in ["worker 0", "late"] {
        assert!(!f.store.heartbeat(before, name, 0.5, "x", 0).await.unwrap());
        f.store
            .end_work(before, name, State::Failed, Some("x"))
            .await
            .unwrap();
    }
    assert!(
        f.store
            .heartbeat(&again, "next", 0.5, "x", 0)
            .await
            .unwrap()
    );
    f.end().await;
}

/// Workers that take, beat and end while work arrives and assets leave make MariaDB find deadlocks; it
/// ends one of the transactions and asks for it again. Nobody outside the store sees that.
#[tokio::test(flavor = "multi_thread", worker_threads = 8)]
async fn a_crowd_of_workers_never_sees_a_deadlock() {
    const EACH: usize = 12;
    const CROWD: usize = 4;
    let f = std::sync::Arc::new(Fixture::new().await);
    let mut crowd = Vec::new();
    for giver in 0..CROWD {
        let f = f.clone();
        crowd.push(tokio::spawn(async move {
            for i in 0..EACH {
                let kept = f.asset(&format!("sheet {giver} {i}"), &sheet(2)).await;
                let left = f.asset(&format!("gone {giver} {i}"), &sheet(3)).await;
                f.store
                    .ask_for_chain(&kept, &[Fill::to(4), Fill::to(2)], None)
                    .await
                    .unwrap();
                f.store.remove_asset(left.id).await.unwrap();
            }
            0
        }));
    }
    for taker in 0..CROWD {
        let f = f.clone();
        crowd.push(tokio::spawn(async move {
            let name = format!("worker {taker}");
            let mut done = 0;
            let mut empty = 0;
            while empty < 40 {
                let Some(work) = f
                    .store
                    .take_work(&name, Lane::Any, &Accepts::all())
                    .await
                    .unwrap()
                else {
                    empty += 1;
                    tokio::time::sleep(Duration::from_millis(10)).await;
                    continue;
                };
                empty = 0;
                f.store.heartbeat(&work, &name, 0.5, "x", 0).await.unwrap();
                f.store
                    .end_work(&work, &name, State::Done, None)
                    .await
                    .unwrap();
                done += 1;
            }
            done
        }));
    }
    let mut done = 0;
    for one in crowd {
        done += one.await.unwrap();
    }
    // An intake and two cuts for each asset that stayed; some of those that left were taken too. Equal
    // sources share their candidates, so that only the first asks for the cuts.
    assert!(done >= EACH * CROWD + 2, "{done} pieces of work were done");
    let f = std::sync::Arc::into_inner(f).unwrap();
    assert!(
        f.store
            .take_work("late", Lane::Any, &Accepts::all())
            .await
            .unwrap()
            .is_none()
    );
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn equal_work_is_done_once_and_a_candidate_never_changes() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(20)).await;
    assert_eq!(a.state(), AssetState::Arriving);
    f.work_off().await;
    let a = f.store.asset(a.id).await.unwrap();
    assert_eq!(a.state(), AssetState::Ready);
    assert_eq!(a.inspection.as_ref().unwrap().triangles, 800);

    let first = f.store.ask_for_cut(&a, 200).await.unwrap();
    assert_eq!(f.store.ask_for_cut(&a, 200).await.unwrap(), first);
    f.work_off().await;
    let made = f.store.tray(a.id).await.unwrap();
    assert_eq!(made.len(), 1);
    assert_eq!(made[0].state, CandidateState::Ready);
    assert!(made[0].triangles.unwrap() <= 200);

    // The same source under another name finds the candidate made.
    let b = f.asset("sheet", &sheet(20)).await;
    assert_eq!(f.store.ask_for_cut(&b, 200).await.unwrap(), first);
    let shared = f.store.tray(b.id).await.unwrap();
    assert_eq!(shared[0].state, CandidateState::Ready);
    assert_eq!(shared[0].view, made[0].view);
    let cuts = |w: &[ectome_store::work::Work]| w.iter().filter(|w| w.wish.is_some()).count();
    assert_eq!(cuts(&f.store.latest_work(50).await.unwrap()), 1);
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn no_candidate_waits_for_work_that_left_with_its_asset() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(20)).await;
    let b = f.asset("sheet", &sheet(20)).await;
    f.work_off().await;
    f.store.ask_for_cut(&a, 100).await.unwrap();
    f.store.ask_for_cut(&b, 100).await.unwrap();
    f.store.remove_asset(a.id).await.unwrap();
    f.work_off().await;
    assert_eq!(
        f.store.tray(b.id).await.unwrap()[0].state,
        CandidateState::Ready
    );

    // Nobody is left to wait for it; asked for again later, it is made.
    f.store.ask_for_cut(&b, 60).await.unwrap();
    f.store.remove_asset(b.id).await.unwrap();
    let c = f.asset("sheet", &sheet(20)).await;
    f.store.ask_for_cut(&c, 60).await.unwrap();
    f.work_off().await;
    assert_eq!(
        f.store.tray(c.id).await.unwrap()[0].state,
        CandidateState::Ready
    );
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn stopped_work_says_so_and_can_be_asked_for_again() {
    let f = Fixture::new().await;
    let a = f.asset("sheet", &sheet(20)).await;
    f.work_off().await;
    f.store.ask_for_cut(&a, 100).await.unwrap();
    let id = f.store.latest_work(1).await.unwrap()[0].id;
    f.store.stop_work(id).await.unwrap();
    let made = f.store.tray(a.id).await.unwrap();
    assert_eq!(made[0].state, CandidateState::Failed);
    assert!(made[0].fault.as_ref().unwrap().contains("stopped"));
    f.store.ask_for_cut(&a, 100).await.unwrap();
    f.work_off().await;
    assert_eq!(
        f.store.tray(a.id).await.unwrap()[0].state,
        CandidateState::Ready
    );
    f.end().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_broken_source_fails_with_a_sentence_and_the_next_one_works() {
    let f = Fixture::new().await;
    let bad = f.asset("broken", "v 0 0 0\nf 1 2 3\n").await;
    let good = f.asset("sheet", &sheet(2)).await;
    f.work_off().await;
    let bad = f.store.asset(bad.id).await.unwrap();
    assert_eq!(bad.state(), AssetState::Failed);
    assert!(bad.fault.unwrap().contains("broken.obj"));
    let good = f.store.asset(good.id).await.unwrap();
    assert_eq!(good.state(), AssetState::Ready);
    f.end().await;
}

/// What goes on from work that is under way waits for it, in whichever lane it is: it would make its base a second time.
#[tokio::test(flavor = "multi_thread")]
async fn work_waits_for_what_it_goes_on_from() {
    let f = Fixture::new().await;
    let asset = f.asset("sheet", &sheet(8)).await;
    f.work_off().await;
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store.ask_for_cut(&asset, 60).await.unwrap();
    let base = f.store.tray(asset.id).await.unwrap().remove(0);
    // The first tier is what was asked for, though nobody has made it yet.
    let fills = [Fill::to(60), Fill::to(20)];
    f.store
        .ask_for_chain(&asset, &fills, Some(&base))
        .await
        .unwrap();
    let chain = f.store.chain(asset.id).await.unwrap();
    assert_eq!(chain[0].candidate.hash, base.hash);
    assert_ne!(chain[1].candidate.hash, base.hash);
    let take = async |name: &str| {
        let taken = f.store.take_work(name, Lane::Any, &Accepts::all()).await;
        taken.unwrap()
    };
    let first = take("one").await.unwrap();
    assert_eq!(first.candidate.as_deref(), Some(base.hash.as_str()));
    let next = take("two").await;
    assert!(
        next.is_none_or(|w| w.candidate.is_none()),
        "the tier waits for its base"
    );
    f.store
        .end_work(&first, "one", State::Done, None)
        .await
        .unwrap();
    let second = take("two").await.unwrap();
    assert_eq!(
        second.candidate.as_deref(),
        Some(chain[1].candidate.hash.as_str())
    );
    f.end().await;
}
