//! A part taken by itself: its points in order of use, its faces among them.

use std::collections::HashMap;

use ectome_mesh::Mesh;
use glam::{DVec3, Vec2};

/// The shape of one part.
pub(super) struct Shape {
    /// Places, in order of first use by the faces.
    pub points: Vec<DVec3>,
    /// Corners of the faces as indices into `points`.
    pub faces: Vec<Vec<u32>>,
    /// Material of each face.
    pub materials: Vec<Option<u32>>,
    /// First UVs of each face's corners; empty without UVs.
    pub uvs: Vec<Vec<Vec2>>,
    /// Middle of the points.
    pub middle: DVec3,
    /// Diagonal of their bounds.
    pub diagonal: f64,
    /// The largest coordinate: what `f32` rounds by.
    pub reach: f64,
    /// Area of all faces.
    pub area: f64,
}

/// The shapes of all parts; parts without faces have none.
pub(super) fn of_parts(mesh: &Mesh) -> Vec<Shape> {
    let mut shapes: Vec<Shape> = mesh.parts.iter().map(|_| Shape::empty()).collect();
    let mut local: Vec<HashMap<u32, u32>> = vec![HashMap::new(); mesh.parts.len()];
    for run in &mesh.runs {
        let (shape, local) = (
            &mut shapes[run.part as usize],
            &mut local[run.part as usize],
        );
        for f in run.faces.clone() {
            let face: Vec<u32> = mesh
                .face_points(f as usize)
                .map(|p| {
                    *local.entry(p).or_insert_with(|| {
                        shape.points.push(mesh.points[p as usize].as_dvec3());
                        shape.points.len() as u32 - 1
                    })
                })
                .collect();
            let p = |i: u32| shape.points[i as usize];
            shape.area += 0.5
                * (1..face.len() - 1)
                    .map(|k| {
                        let [o, a, b] = [face[0], face[k], face[k + 1]].map(p);
                        (a - o).cross(b - o)
                    })
                    .sum::<DVec3>()
                    .length();
            shape.faces.push(face);
            shape.materials.push(run.material);
            if run.channels.uv_sets > 0 {
                let set = &mesh.uv_sets[0];
                let uvs = mesh.face(f as usize).iter().map(|&v| set[v as usize]);
                shape.uvs.push(uvs.collect());
            }
        }
    }
    shapes.iter_mut().for_each(Shape::measure);
    shapes
}

impl Shape {
    fn empty() -> Self {
        Self {
            points: Vec::new(),
            faces: Vec::new(),
            materials: Vec::new(),
            uvs: Vec::new(),
            middle: DVec3::ZERO,
            diagonal: 0.0,
            reach: 0.0,
            area: 0.0,
        }
    }

    fn measure(&mut self) {
        let Some(&first) = self.points.first() else {
            return;
        };
        let (mut low, mut high) = (first, first);
        for &p in &self.points {
            low = low.min(p);
            high = high.max(p);
            self.middle += p;
        }
        self.middle /= self.points.len() as f64;
        self.diagonal = low.distance(high);
        self.reach = low.abs().max(high.abs()).max_element();
    }

    /// How far off a place may be and still be the same.
    pub fn tolerance(&self) -> f64 {
        (1e-4 * self.diagonal).max(8.0 * f64::from(f32::EPSILON) * self.reach)
    }
}

/// The places of a shape, by cells.
pub(super) struct Places<'a> {
    points: &'a [DVec3],
    size: f64,
    cells: HashMap<[i64; 3], Vec<u32>>,
}

impl<'a> Places<'a> {
    pub fn of(points: &'a [DVec3], tolerance: f64) -> Self {
        let size = tolerance.max(f64::MIN_POSITIVE) * 2.0;
        let mut cells: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
        for (i, p) in points.iter().enumerate() {
            let key = (*p / size).floor().as_i64vec3().to_array();
            cells.entry(key).or_default().push(i as u32);
        }
        Self {
            points,
            size,
            cells,
        }
    }

    /// The point within `tolerance` (half a cell) of a place.
    pub fn at(&self, place: DVec3) -> Option<u32> {
        let low = ((place - 0.5 * self.size) / self.size).floor().as_i64vec3();
        let mut best: Option<(f64, u32)> = None;
        for x in 0..2 {
            for y in 0..2 {
                for z in 0..2 {
                    let key = [low.x + x, low.y + y, low.z + z];
                    for &i in self.cells.get(&key).into_iter().flatten() {
                        let d = self.points[i as usize].distance(place);
                        if d <= 0.5 * self.size && best.is_none_or(|b| (d, i) < b) {
                            best = Some((d, i));
                        }
                    }
                }
            }
        }
        best.map(|(_, i)| i)
    }
}

/// The corners of a face from its lowest on, so that equal faces have equal keys.
pub(super) fn from_lowest(mut face: Vec<u32>) -> Vec<u32> {
    let lowest = face.iter().enumerate().min_by_key(|(_, p)| **p);
    let at = lowest.map_or(0, |(i, _)| i);
    face.rotate_left(at);
    face
}
