//! `ectome serve`: the application.

use std::{
    net::{IpAddr, Ipv4Addr, SocketAddr},
    path::PathBuf,
    sync::Arc,
};

use clap::Args;
use ectome_recipe::{
    Brief, Manner, UvStep,
    maps::{BakeSettings, Kind},
    starting_briefs,
};
use ectome_store::{
    Store, StoreError,
    asset::SourceFile,
    chain::Fill,
    collect::keep_collecting,
    folder,
    scene::{SceneAsset, SceneRow},
    work::Accepts,
    worker,
};
use ectome_web::{App, Feed, OpenSources, UvSheets, guard};
use tokio::{
    net::TcpListener,
    signal::unix::{SignalKind, signal},
    sync::watch,
};
use tracing_subscriber::{
    filter::{LevelFilter, Targets},
    layer::SubscriberExt,
    util::SubscriberInitExt,
};

use super::{
    failure::Failure,
    place::{Elsewhere, Opened},
};
use crate::output::{remark, say};

/// Serves the application on loopback, with a database and a worker of its own.
#[derive(Args)]
pub struct Serve {
    /// The port pages are served on; 0 for any that is free, which is then said.
    #[arg(long, env = "ECTOME_PORT", default_value_t = 4180)]
    port: u16,
    /// The folder for everything that is kept.
    #[arg(long, env = "ECTOME_DATA", default_value = ".run")]
    data: PathBuf,
    /// The largest upload, in bytes.
    #[arg(long, env = "ECTOME_UPLOAD_LIMIT", default_value_t = 8 << 30)]
    upload_limit: u64,
    /// Bytes that stay free on the disk of that folder: below that, new work and uploads wait.
    #[arg(long, env = "ECTOME_DISK_RESERVE", default_value_t = 512 << 20)]
    disk_reserve: u64,
    /// A folder whose subfolders batches may watch: files that are put there join by themselves.
    #[arg(long, env = "ECTOME_WATCH")]
    watch: Option<PathBuf>,
    /// Begin without the demo assets.
    #[arg(long, env = "ECTOME_NO_DEMO")]
    no_demo: bool,
    /// Do no work here: other machines do it, see `ectome work`.
    #[arg(long, env = "ECTOME_NO_WORKER")]
    no_worker: bool,
    #[command(flatten)]
    elsewhere: Elsewhere,
}

impl Serve {
    pub fn run(self) -> Result<(), Failure> {
        log_to_terminal();
        let runtime = tokio::runtime::Runtime::new().map_err(Failure::Runtime)?;
        runtime.block_on(self.serve())
    }

    async fn serve(self) -> Result<(), Failure> {
        let address = SocketAddr::new(IpAddr::V4(Ipv4Addr::LOCALHOST), self.port);
        let listener = TcpListener::bind(address).await;
        let listener = listener.map_err(|e| Failure::Port(self.port, e))?;
        // Port 0 means any that is free.
        let bound = listener.local_addr();
        let port = bound.map_err(|e| Failure::Port(self.port, e))?.port();
        // What is made from here on is nobody else's.
        folder::shut_for_others();
        folder::private(&self.data)?;
        // Held until the process ends, however it ends.
        let _lock = lock(&self.data)?;
        let incoming = self.data.join("incoming");
        // What a killed server left half uploaded.
        let _ = std::fs::remove_dir_all(&incoming);
        folder::private(&incoming)?;
        guard::set_token(folder::kept_secret(&self.data.join("token"))?);

        let opened = self.elsewhere.open(&self.data, self.disk_reserve).await?;
        let outcome = self.with_store(&opened, (listener, port), incoming).await;
        opened.close().await;
        outcome
    }

    async fn with_store(
        &self,
        opened: &Opened,
        (listener, port): (TcpListener, u16),
        incoming: PathBuf,
    ) -> Result<(), Failure> {
        let store = opened.store.clone();
        store.add_briefs(&starting_briefs::starting()).await?;

        let (stop, stopping) = watch::channel(false);
        let working = (!self.no_worker).then(|| {
            let work = worker::run(store.clone(), Accepts::all(), stopping.clone());
            tokio::spawn(work)
        });
        let collecting = tokio::spawn(keep_collecting(store.clone(), stopping.clone()));
        let demo = self.demo_marker();
        // A database that others use may have been begun by one of them.
        let is_new = !demo.exists()
            && (self.elsewhere.database.is_none() || store.assets().await?.is_empty());
        if !self.no_demo && is_new {
            let store = store.clone();
            tokio::spawn(async move {
                match add_demo(&store).await {
                    Ok(()) => {
                        let _ = std::fs::write(demo, "made\n");
                    }
                    Err(error) => tracing::error!(%error, "the demo assets could not be added"),
                }
            });
        }
        let app = App {
            store: store.clone(),
            incoming: Arc::new(incoming),
            upload_limit: self.upload_limit,
            open: OpenSources::default(),
            sheets: UvSheets::default(),
            feed: Feed::start(store.clone()),
            watched: self.watch.clone().map(Arc::new),
            port,
        };
        let watching = self.watch.is_some().then(|| {
            let watching = ectome_web::keep_watching(app.clone(), stopping.clone());
            tokio::spawn(watching)
        });
        say!("Ectome is ready: http://127.0.0.1:{port} (Ctrl-C stops it)");
        let mut stopping = stopping;
        let serving = ectome_web::serve(listener, app);
        let result = tokio::select! {
            result = serving => result.map_err(Failure::Served),
            () = asked_to_stop() => Ok(()),
            _ = stopping.changed() => Ok(()),
        };
        remark!("Stopping.");
        let _ = stop.send(true);
        if let Some(working) = working {
            let _ = working.await;
        }
        if let Some(watching) = watching {
            let _ = watching.await;
        }
        let _ = collecting.await;
        result
    }

    fn demo_marker(&self) -> PathBuf {
        self.data.join("demo-made")
    }
}

/// What happens is told on stderr, as much of it as RUST_LOG asks for.
pub(super) fn log_to_terminal() {
    let usual = || {
        Targets::new()
            .with_default(LevelFilter::WARN)
            .with_target("sqlx", LevelFilter::ERROR)
    };
    let wanted = std::env::var("RUST_LOG")
        .ok()
        .and_then(|w| w.parse::<Targets>().ok());
    tracing_subscriber::registry()
        .with(tracing_subscriber::fmt::layer().with_writer(std::io::stderr))
        .with(wanted.unwrap_or_else(usual))
        .init();
}

/// Resolves on Ctrl-C or a polite kill.
pub(super) async fn asked_to_stop() {
    let mut terminate = match signal(SignalKind::terminate()) {
        Ok(signal) => signal,
        Err(_) => return std::future::pending().await,
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = terminate.recv() => {}
    }
}

/// Takes the data folder for this process. The lock goes with the process.
pub(super) fn lock(data: &std::path::Path) -> Result<std::fs::File, Failure> {
    let failed = |e: std::io::Error| Failure::Write(data.to_owned(), e);
    let file = std::fs::File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(data.join("lock"))
        .map_err(failed)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(std::fs::TryLockError::WouldBlock) => Err(StoreError::Locked(data.to_owned()).into()),
        Err(std::fs::TryLockError::Error(e)) => Err(failed(e)),
    }
}

/// Demo assets that come the whole way: cut, unwrapped, with maps and a chain. The bell passes its brief; the kettle shows what failing looks
/// like: a phone's limits are too few triangles for the distances it is seen from.
const WHOLE_WAY: [&str; 4] = ["fog_bell", "enamel_kettle", "figurehead", "mooring_post"];
/// Width and height of their maps.
const DEMO_MAPS: u32 = 1024;

/// Asks for the whole way of one asset: cut to its brief's first limit, unwrapped, baked, and the other tiers cut from that.
async fn ask_for_the_way(store: &Store, id: u64, brief: &Brief) -> Result<(), StoreError> {
    let asset = store.asset(id).await?;
    let target = brief.tiers.first().map_or(6000, |t| t.triangles);
    let newest = async || {
        let tray = store.tray(id).await?;
        let newest = tray.into_iter().max_by_key(|c| c.number);
        newest.ok_or(StoreError::Missing {
            what: "candidate",
            id: id.to_string(),
        })
    };
    store.ask_for_cut(&asset, target).await?;
    let step = UvStep::unwrap(Manner::Soft);
    let cut = newest().await?;
    store.ask_for_uvs(&asset, Some(&cut), step).await?;
    let kinds = brief.maps.iter().filter_map(|m| Kind::of(m)).collect();
    let unwrapped = newest().await?;
    let settings = BakeSettings::of(kinds, DEMO_MAPS);
    store.ask_for_maps(&asset, &unwrapped, settings).await?;
    let baked = newest().await?;
    let fills = Fill::of_brief(brief, asset.height_m());
    store.ask_for_chain(&asset, &fills, Some(&baked)).await
}

/// Makes the demo assets, all at once, and adds each as soon as it is made.
async fn add_demo(store: &Store) -> Result<(), StoreError> {
    let briefs = store.briefs().await?;
    let making: Vec<_> = ectome_demo::ASSETS
        .iter()
        .map(|asset| {
            let made = tokio::task::spawn_blocking(|| asset.files().unwrap_or_default());
            (asset, made)
        })
        .collect();
    let mut members = Vec::new();
    for (asset, made) in making {
        let mut files = Vec::new();
        for (name, bytes) in made.await.unwrap_or_default() {
            files.push(SourceFile {
                name,
                bytes: bytes.len() as u64,
                blob: store.blobs.put(bytes).await?,
            });
        }
        if let Some(brief) = briefs
            .iter()
            .find(|b| b.brief.name == asset.brief)
            .or(briefs.first())
        {
            let id = store.add_asset(asset.title, brief.id, &files).await?;
            if WHOLE_WAY.contains(&asset.file) {
                ask_for_the_way(store, id, &brief.brief).await?;
            }
            if asset.copies > 0 {
                members.push(SceneAsset {
                    asset: id,
                    distance_m: asset.seen_from_m,
                    instances: asset.copies,
                    candidate: None,
                });
            }
        }
    }
    // One place of the game where most of them stand.
    let screen = briefs
        .iter()
        .find(|b| b.brief.name == "Headset, environment piece");
    if let Some(brief) = screen.or(briefs.first()) {
        let scene = SceneRow {
            id: 0,
            name: "Skerry landing".to_owned(),
            brief: brief.id,
            triangles: 120_000,
            members,
        };
        store.put_scene(None, &scene).await?;
    }
    Ok(())
}
