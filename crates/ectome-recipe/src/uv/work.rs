//! What changes of UVs are made with: a layout apart from the mesh, measured before and after.

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress, nearest};
use ectome_uv::{
    arrange::{self, Wishes},
    face_graph::NONE,
    layout::{Layout, Placement},
    measure::{self, Island, Numbers},
    pack::PackError,
};
use glam::{DVec2, Vec3};

use super::{
    copies::Copies,
    layouts::layout_of,
    packing::{Packing, Spot, Stacks},
    painted::Painted,
};
use crate::{EngineError, UvFault};

/// How far to the side islands are laid that may share no texels, in widths of the sheet or metres: further than any is wide. Packing gives
/// them their places.
const BESIDE: f64 = 4096.0;

/// A mesh, its layout, and how it is to be laid out.
pub(super) struct Work<'a> {
    pub(super) scene: &'a Scene,
    pub(super) mesh: &'a Mesh,
    pub(super) packing: &'a Packing,
    /// Where everything lies.
    pub(super) layout: Layout,
    pub(super) islands: Vec<Island>,
    nearest: nearest::SurfaceIndex,
}

impl<'a> Work<'a> {
    /// Looks at a scene of triangles.
    pub(super) fn new(scene: &'a Scene, packing: &'a Packing) -> Self {
        let mesh = &scene.mesh;
        let layout = layout_of(scene, packing.sheet.sheets);
        Self {
            islands: measure::islands(mesh, &layout),
            nearest: nearest::SurfaceIndex::of(mesh),
            scene,
            mesh,
            packing,
            layout,
        }
    }

    /// The island at a place.
    pub(super) fn island(&self, spot: Spot) -> Result<u32, EngineError> {
        let face = self.nearest.nearest(Vec3::from_array(spot)).map(|p| p.face);
        face.map(|f| self.layout.island[f as usize])
            .filter(|&i| i != NONE)
            .ok_or(UvFault::NoIsland.into())
    }

    pub(super) fn chosen(&self, spots: &[Spot]) -> Result<Vec<u32>, EngineError> {
        let mut list: Vec<u32> = spots
            .iter()
            .map(|&s| self.island(s))
            .collect::<Result<_, _>>()?;
        list.sort_unstable();
        list.dedup();
        Ok(list)
    }

    /// Moves some islands on the sheet and measures anew.
    pub(super) fn shift(&mut self, chosen: &[u32], by: Placement) {
        for &f in chosen.iter().flat_map(|&i| &self.islands[i as usize].faces) {
            let uv = &mut self.layout.uv[f as usize];
            *uv = uv.map(|p| by.of(p));
        }
        self.measure_islands();
    }

    /// Measures the islands of the layout as it is now.
    pub(super) fn measure_islands(&mut self) {
        self.islands = measure::islands(self.mesh, &self.layout);
    }

    pub(super) fn numbers(&self) -> Numbers {
        measure::numbers(
            self.mesh,
            &self.layout,
            &self.islands,
            self.packing.sheet.size,
        )
    }

    /// New places for some islands while the others stay; for all where that leaves no room.
    pub(super) fn moved_only(
        &self,
        some: &[u32],
        progress: &Progress,
    ) -> Result<Layout, EngineError> {
        let wishes = Wishes {
            locked: (0..self.islands.len() as u32)
                .map(|i| !some.contains(&i))
                .collect(),
            scale: Some(1.0),
            ..Wishes::default()
        };
        let sheet = &self.packing.sheet;
        match arrange::pack(
            &self.layout,
            &self.islands,
            &wishes,
            sheet,
            &progress.span(0.7, 0.85),
        ) {
            Ok(layout) => Ok(layout),
            Err(PackError::Cancelled(c)) => Err(c.into()),
            Err(_) => {
                let wishes = Wishes {
                    keep_stacks: self.packing.stacks != Stacks::Apart,
                    ..Wishes::default()
                };
                let progress = progress.span(0.85, 1.0);
                Ok(arrange::pack(
                    &self.layout,
                    &self.islands,
                    &wishes,
                    sheet,
                    &progress,
                )?)
            }
        }
    }

    /// Factors that give every island a density of `factor` in widths of the sheet per metre.
    pub(super) fn true_to_size(&self, factor: impl Fn(usize) -> f64) -> Vec<f64> {
        (0..self.islands.len())
            .map(|i| match self.islands[i].density {
                d if d > 0.0 => factor(i) / d,
                _ => 1.0,
            })
            .collect()
    }

    /// The density that half of the area is above, islands that are `left_out` aside.
    pub(super) fn usual_density(&self, left_out: &[bool]) -> f64 {
        let mut list: Vec<(f64, f64)> = self
            .islands
            .iter()
            .zip(left_out)
            .filter(|(_, out)| !**out)
            .map(|(i, _)| (i.density, i.area_m2))
            .collect();
        if list.is_empty() {
            list = self
                .islands
                .iter()
                .map(|i| (i.density, i.area_m2))
                .collect();
        }
        list.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        let half = 0.5 * list.iter().map(|l| l.1).sum::<f64>();
        let mut sum = 0.0;
        for (density, area) in &list {
            sum += area;
            if sum >= half {
                return density.max(1e-12);
            }
        }
        1.0
    }

    pub(super) fn sized(
        self,
        sizes: Vec<f64>,
        scale: Option<f64>,
        progress: &Progress,
    ) -> Result<Layout, EngineError> {
        let stacked = self
            .islands
            .iter()
            .enumerate()
            .any(|(i, s)| s.stack != i as u32);
        let wishes = Wishes {
            sizes,
            locked: Vec::new(),
            // What is stacked stays so: nobody asked to take it apart.
            keep_stacks: stacked,
            by_part: self.packing.by_part,
            scale,
        };
        self.arranged(&wishes, progress)
    }

    pub(super) fn packed(
        mut self,
        scale: Option<f64>,
        progress: &Progress,
    ) -> Result<Layout, EngineError> {
        if self.packing.stacks != Stacks::Apart {
            let mirrored = self.packing.stacks == Stacks::Mirrored;
            let copies = Copies::of(self.mesh, mirrored, progress)?;
            copies.lay(self.mesh, &mut self.layout, mirrored);
        }
        let keep = self.packing.stacks != Stacks::Apart;
        self.packed_as(scale, keep, progress)
    }

    pub(super) fn packed_as(
        mut self,
        scale: Option<f64>,
        keep_stacks: bool,
        progress: &Progress,
    ) -> Result<Layout, EngineError> {
        self.layout.renumber();
        self.measure_islands();
        if keep_stacks {
            self.lay_apart_what_differs();
        }
        let mut locked = vec![false; self.islands.len()];
        for i in self.chosen(&self.packing.locked)? {
            let stack = self.islands[i as usize].stack;
            for (k, island) in self.islands.iter().enumerate() {
                locked[k] |= island.stack == stack;
            }
        }
        let wishes = Wishes {
            sizes: Vec::new(),
            scale: scale.or(self.packing.keep_size.then_some(1.0)),
            locked,
            keep_stacks,
            by_part: self.packing.by_part,
        };
        self.arranged(&wishes, progress)
    }

    /// Lays islands beside the ones they lie on where these show something else: they may not share texels.
    fn lay_apart_what_differs(&mut self) {
        let differs = Painted::of(self.scene).that_differ(&self.layout, &self.islands);
        if differs.is_empty() {
            return;
        }
        for (island, like) in differs {
            let by = Placement::STILL.moved(DVec2::X * BESIDE * f64::from(like + 1));
            for &f in &self.islands[island as usize].faces {
                let uv = &mut self.layout.uv[f as usize];
                *uv = uv.map(|p| by.of(p));
            }
        }
        self.measure_islands();
    }

    fn arranged(&self, wishes: &Wishes, progress: &Progress) -> Result<Layout, EngineError> {
        progress.stage("Packing");
        let sheet = &self.packing.sheet;
        let packed = arrange::pack(
            &self.layout,
            &self.islands,
            wishes,
            sheet,
            &progress.span(0.7, 0.98),
        );
        match packed {
            Err(PackError::TooDense { .. }) => {
                // What would fit is worth knowing.
                let free = Wishes {
                    scale: None,
                    ..wishes.clone()
                };
                let most = arrange::pack(&self.layout, &self.islands, &free, sheet, progress)
                    .ok()
                    .map(|l| {
                        let islands = measure::islands(self.mesh, &l);
                        measure::numbers(self.mesh, &l, &islands, sheet.size).texels_per_metre
                    });
                Err(UvFault::TooDense {
                    sheets: sheet.sheets,
                    size: sheet.size,
                    most,
                }
                .into())
            }
            other => Ok(other?),
        }
    }
}
