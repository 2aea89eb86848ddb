//! Demo assets with their analysis, each made once in the program: taking half a million triangles apart is most of what a test of
//! cuts takes.

use std::sync::OnceLock;

use ectome_demo::once;
use ectome_mesh::{Mesh, Progress};
use ectome_recipe::triangles::triangulated;
use ectome_reduce::{CollapseLog, Options, Replay, analyse, refine};

/// A mesh of triangles and its analysis with the usual options.
pub struct Analysed {
    /// The source.
    pub mesh: Mesh,
    log: CollapseLog,
}

impl Analysed {
    /// Analyses a mesh of triangles.
    pub fn of(mesh: Mesh) -> Self {
        let log = analyse(&mesh, &Options::default(), &Progress::new()).unwrap();
        Self { mesh, log }
    }

    /// The cut to a count, as replayed or fitted to the source.
    pub fn cut_to(&self, count: usize, fitted: bool) -> Mesh {
        let replay = Replay::new(&self.mesh, &self.log).unwrap();
        let mut cut = replay.at(&self.mesh, &self.log, count).unwrap();
        if fitted {
            refine(&self.mesh, &Options::default(), &mut cut, &Progress::new()).unwrap();
        }
        cut.mesh
    }
}

/// A demo asset by the name of its file, in triangles.
pub fn demo(file: &str) -> &'static Analysed {
    macro_rules! once_each {
        ($($name:literal),*) => {
            match file {
                $($name => {
                    static MADE: OnceLock<Analysed> = OnceLock::new();
                    MADE.get_or_init(|| {
                        let scene = triangulated(once::named($name), &Progress::new());
                        Analysed::of(scene.unwrap().mesh)
                    })
                })*
                _ => panic!("no test analyses {file}"),
            }
        };
    }
    once_each!(
        "fog_bell",
        "figurehead",
        "rope_winch",
        "mooring_post",
        "enamel_kettle"
    )
}
