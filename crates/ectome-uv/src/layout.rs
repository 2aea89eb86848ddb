//! Where every face lies on the sheet, and to which island it belongs.

use ectome_mesh::{Mesh, islands};
use glam::{DVec2, Vec2};

use crate::{face_graph::NONE, region::Region, stretch::Stretch};

/// UVs by face corner, apart from any mesh: u to the right, v down, so that a face seen from outside is upright when its
/// corners turn clockwise in these figures (a negative area).
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Layout {
    /// The island of each face, numbered by first face; [`NONE`] for faces that lie nowhere.
    pub island: Vec<u32>,
    /// How many islands there are.
    pub count: usize,
    /// The corners of each face on the sheet, in widths of the sheet.
    pub uv: Vec<[DVec2; 3]>,
    /// Which set of textures each face uses: what uses different ones lies on different sheets. Empty when all use one.
    pub textures: Vec<u32>,
    /// How many sheets there are, side by side along u.
    pub sheets: u32,
}

/// A turn by quarter turns and any angle, a size and a shift: how an island is put elsewhere.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placement {
    /// What comes of (1, 0).
    pub x: DVec2,
    /// What comes of (0, 1).
    pub y: DVec2,
    /// What comes of the origin.
    pub shift: DVec2,
}

impl Placement {
    /// Nothing moves.
    pub const STILL: Self = Self {
        x: DVec2::X,
        y: DVec2::Y,
        shift: DVec2::ZERO,
    };

    /// Turned by `angle` radians about the origin, and sized.
    pub fn turned(angle: f64, size: f64) -> Self {
        let x = DVec2::from_angle(angle) * size;
        Self {
            x,
            y: x.perp(),
            shift: DVec2::ZERO,
        }
    }

    /// The same, then moved.
    #[must_use]
    pub fn moved(self, by: DVec2) -> Self {
        Self {
            shift: self.shift + by,
            ..self
        }
    }

    /// Where a place comes.
    pub fn of(&self, p: DVec2) -> DVec2 {
        self.x * p.x + self.y * p.y + self.shift
    }
}

/// Twice the signed area of three places.
pub fn twice_area([a, b, c]: [DVec2; 3]) -> f64 {
    (b - a).perp_dot(c - a)
}

impl Layout {
    /// The first UV set of an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let (island, count) = islands::of_faces(mesh);
        let none = Vec::new();
        let set = mesh.uv_sets.first().unwrap_or(&none);
        let uv = (0..mesh.face_count())
            .map(|f| match island[f] {
                NONE => [DVec2::ZERO; 3],
                _ => [0, 1, 2].map(|k| set[mesh.corners[3 * f + k] as usize].as_dvec2()),
            })
            .collect();
        Self {
            island,
            count,
            uv,
            textures: Vec::new(),
            sheets: 1,
        }
    }

    /// A layout of `faces` faces, none of them anywhere.
    pub fn empty(faces: usize) -> Self {
        Self {
            island: vec![NONE; faces],
            count: 0,
            uv: vec![[DVec2::ZERO; 3]; faces],
            textures: Vec::new(),
            sheets: 1,
        }
    }

    /// Puts charts in as new islands, in metres, upright, wherever they lie. Faces they cover leave their islands.
    pub fn add(&mut self, regions: &[Region]) {
        for r in regions {
            for (c, &f) in r.chart.corners.iter().zip(&r.chart.faces) {
                self.island[f as usize] = self.count as u32;
                self.uv[f as usize] = c.map(|v| {
                    let p = r.flat.at[v as usize];
                    DVec2::new(p.x, -p.y)
                });
            }
            self.count += 1;
        }
        self.renumber();
    }

    /// Numbers islands by their first face; those without faces go.
    pub fn renumber(&mut self) {
        let mut number = vec![NONE; self.count];
        let mut count = 0;
        for i in self.island.iter_mut().filter(|i| **i != NONE) {
            let n = &mut number[*i as usize];
            if *n == NONE {
                *n = count;
                count += 1;
            }
            *i = *n;
        }
        self.count = count as usize;
    }

    /// The faces of each island.
    pub fn faces(&self) -> Vec<Vec<u32>> {
        let mut faces = vec![Vec::new(); self.count];
        for (f, &i) in self.island.iter().enumerate() {
            if i != NONE {
                faces[i as usize].push(f as u32);
            }
        }
        faces
    }

    /// Moves each island.
    pub fn place(&mut self, placements: &[Placement]) {
        for (&i, uv) in self.island.iter().zip(&mut self.uv) {
            if i != NONE {
                *uv = uv.map(|p| placements[i as usize].of(p));
            }
        }
    }

    /// How the faces of each island are stretched.
    pub fn stretch(&self, mesh: &Mesh) -> Vec<Stretch> {
        let mut out = vec![Stretch::default(); self.count];
        for (f, &i) in self.island.iter().enumerate() {
            if i != NONE {
                let places = mesh.triangle(f).map(|p| p.as_dvec3());
                out[i as usize].add_in_space(places, self.uv[f]);
            }
        }
        out
    }

    /// The mesh with these UVs as its first set; further sets stay. A vertex becomes as many as it has UVs.
    pub fn applied(&self, mesh: &Mesh) -> Mesh {
        let mut out = mesh.clone();
        let mut set = vec![Vec2::NAN; mesh.vertex_count()];
        // Further vertices that came from one of the mesh, by chain.
        let mut next: Vec<u32> = vec![NONE; mesh.vertex_count()];
        for (c, corner) in out.corners.iter_mut().enumerate() {
            let uv = self.uv[c / 3][c % 3].as_vec2();
            let mut v = *corner as usize;
            loop {
                if set[v].is_nan() {
                    set[v] = uv;
                    break;
                }
                if set[v] == uv {
                    break;
                }
                if next[v] == NONE {
                    next[v] = set.len() as u32;
                    next.push(NONE);
                    set.push(uv);
                    out.vertex_point.push(out.vertex_point[v]);
                    if !out.normals.is_empty() {
                        out.normals.push(out.normals[v]);
                    }
                    if !out.colours.is_empty() {
                        out.colours.push(out.colours[v]);
                    }
                    for further in out.uv_sets.iter_mut().skip(1) {
                        further.push(further[v]);
                    }
                    v = set.len() - 1;
                    break;
                }
                v = next[v] as usize;
            }
            *corner = v as u32;
        }
        set.iter_mut()
            .filter(|t| t.is_nan())
            .for_each(|t| *t = Vec2::ZERO);
        match out.uv_sets.first_mut() {
            Some(first) => *first = set,
            None => out.uv_sets.push(set),
        }
        for run in &mut out.runs {
            run.channels.uv_sets = run.channels.uv_sets.max(1);
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn what_is_applied_is_read_again() {
        let mesh = shapes::cuboid(glam::Vec3::ONE);
        let mut layout = Layout::empty(12);
        for f in 0..12 {
            layout.island[f] = (f / 2) as u32;
            let at = |p: glam::Vec3| (p.as_dvec3() + 0.5).truncate() * 0.1;
            layout.uv[f] = mesh
                .triangle(f)
                .map(|p| at(p) + DVec2::splat(f as f64 / 24.0));
        }
        layout.count = 6;
        // Pairs of triangles share an offset, so that each side is an island.
        for f in 0..6 {
            let base = DVec2::new(f as f64 / 6.0, 0.0);
            for k in 0..2 {
                let sides = mesh.triangle(2 * f + k).map(|p| p.as_dvec3() + 0.5);
                layout.uv[2 * f + k] = sides.map(|p| base + DVec2::new(p.x + p.z, p.y) * 0.05);
            }
        }
        // A second set, for a light map say, stays with its vertices.
        let mut lit = mesh.clone();
        let second: Vec<Vec2> = lit.points.iter().map(|p| p.truncate()).collect();
        lit.uv_sets = vec![vec![Vec2::ZERO; 8], second];
        lit.runs[0].channels.uv_sets = 2;
        let lit = layout.applied(&lit);
        lit.check().unwrap();
        assert_eq!(lit.runs[0].channels.uv_sets, 2);
        let place = |v: usize| lit.points[lit.vertex_point[v] as usize].truncate();
        assert!((0..lit.vertex_count()).all(|v| lit.uv_sets[1][v] == place(v)));
        let with = layout.applied(&mesh);
        with.check().unwrap();
        let back = Layout::of(&with);
        assert_eq!((back.count, &back.island), (6, &layout.island));
        let near = |a: &[DVec2; 3], b: &[DVec2; 3]| (0..3).all(|k| a[k].distance(b[k]) < 1e-6);
        assert!(back.uv.iter().zip(&layout.uv).all(|(a, b)| near(a, b)));
        assert_eq!(with.points.len(), 8);
    }
}
