//! A source as results are judged against it, made ready once for all of them: its surface as an index, its outlines, and how it is
//! shaded. Tiers of a chain are judged one after another, each by work of its own; whoever runs them may keep it between
//! ([`Stock::jury`](crate::Stock::jury)).

use std::sync::OnceLock;

use ectome_compare::{CompareError, Judge};
use ectome_formats::Scene;
use ectome_raster::Picture;

use crate::{maps::Looks, shading, sight::Sight};

/// The judge of a source, and pictures of it.
pub struct Jury {
    /// What measures.
    pub(crate) judge: Judge,
    /// The source from the directions in which shading is compared: with its own materials, and as clay.
    shaded: [OnceLock<Vec<Picture>>; 2],
    /// How the source looks.
    looks: OnceLock<Looks>,
    /// The source as a player sees it.
    seen: OnceLock<Sight>,
    triangles: usize,
}

impl Jury {
    /// Of a source of triangles.
    pub(crate) fn of(source: &Scene) -> Result<Self, CompareError> {
        Ok(Self {
            judge: Judge::of(&source.mesh)?,
            shaded: Default::default(),
            looks: OnceLock::new(),
            seen: OnceLock::new(),
            triangles: source.mesh.triangle_count(),
        })
    }

    /// For results whose UVs are not the source's.
    pub(crate) fn without_uvs(self) -> Self {
        Self {
            judge: self.judge.without_uvs(),
            ..self
        }
    }

    /// Makes now what the first result would wait for.
    pub(crate) fn make_ready(&self, source: &Scene) {
        self.judge.make_ready(&source.mesh);
    }

    /// The source as it is shaded with its own materials, or as clay.
    pub(crate) fn shaded(&self, source: &Scene, as_clay: bool) -> &[Picture] {
        self.shaded[usize::from(as_clay)].get_or_init(|| {
            let looks = self.looks(source);
            shading::pictures(source, source, looks, &shading::style(as_clay))
        })
    }

    /// The source as a player sees it.
    pub(crate) fn seen(&self, source: &Scene) -> &Sight {
        self.seen
            .get_or_init(|| Sight::of(source, self.looks(source)))
    }

    /// How the source looks in pictures.
    pub(crate) fn looks(&self, source: &Scene) -> &Looks {
        self.looks.get_or_init(|| Looks::as_drawn(source))
    }

    /// Triangles of the source: what is kept of it takes about 150 bytes for each.
    pub fn triangles(&self) -> usize {
        self.triangles
    }
}
