//! Whole pieces that are too small to keep.
//!
//! A closed piece cannot shrink below four triangles. Where a mesh is made of many small pieces, the
//! small ones have to go, in the order of what their loss costs in the same measure as a collapse: the
//! integral of squared distance over the surface that is lost.

use std::collections::BTreeMap;

use ectome_mesh::{Mesh, topology::face_components};
use glam::Vec3;

use crate::{record::Recorder, state::State};

/// A piece of the surface.
#[derive(Clone, Debug)]
pub struct Piece {
    /// Loss in the units of a collapse's cost.
    pub cost: f32,
    /// Its area in the same units.
    area: f32,
    /// Its faces.
    pub faces: Vec<u32>,
    /// How many of them still stand.
    pub standing: usize,
    /// It stands for its part or for a material: it may shrink but not go.
    pub stays: bool,
}

/// Follows a compaction: `left` are the old faces that are left.
pub fn renumber(pieces: &mut [Piece], piece_of_face: &mut Vec<u32>, left: &[u32]) {
    *piece_of_face = left.iter().map(|&f| piece_of_face[f as usize]).collect();
    pieces.iter_mut().for_each(|p| p.faces.clear());
    for (f, &p) in piece_of_face.iter().enumerate() {
        pieces[p as usize].faces.push(f as u32);
    }
}

/// The pieces of a mesh, cheapest to lose first, and the piece of each face. Pieces of equal cost
/// stand in file order.
pub fn pieces(mesh: &Mesh, state: &State, let_parts_go: bool) -> (Vec<Piece>, Vec<u32>) {
    let (of_face, count) = face_components(mesh);
    let mut faces = vec![Vec::new(); count];
    let mut area = vec![0f64; count];
    let mut low = vec![Vec3::INFINITY; count];
    let mut high = vec![Vec3::NEG_INFINITY; count];
    for (f, &piece) in of_face.iter().enumerate() {
        let piece = piece as usize;
        let triangle = mesh.triangle(f);
        faces[piece].push(f as u32);
        area[piece] += ectome_mesh::measure::area_vector(triangle).length();
        for p in triangle {
            low[piece] = low[piece].min(p);
            high[piece] = high[piece].max(p);
        }
    }
    let scale = f64::from(state.diagonal).powi(4);
    let mut pieces: Vec<Piece> = faces
        .into_iter()
        .enumerate()
        .map(|(i, faces)| Piece {
            // A place on the piece is on average about a quarter of its extent from what remains.
            cost: (area[i] * f64::from((high[i] - low[i]).length() * 0.25).powi(2) / scale) as f32,
            area: (area[i] / f64::from(state.diagonal).powi(2)) as f32,
            stays: false,
            standing: faces.iter().filter(|&&f| state.alive[f as usize]).count(),
            faces,
        })
        .collect();
    pieces.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    if !let_parts_go {
        keep_one_of_each(mesh, &mut pieces);
    }
    let mut piece_of_face = of_face;
    for (i, piece) in pieces.iter().enumerate() {
        for &f in &piece.faces {
            piece_of_face[f as usize] = i as u32;
        }
    }
    (pieces, piece_of_face)
}

/// Marks the dearest piece of each part, and of each material.
fn keep_one_of_each(mesh: &Mesh, pieces: &mut [Piece]) {
    let mut run_of = Vec::with_capacity(mesh.face_count());
    for (r, run) in mesh.runs.iter().enumerate() {
        run_of.extend(std::iter::repeat_n(r, run.faces.len()));
    }
    let mut parts = vec![None; mesh.parts.len()];
    let mut materials: BTreeMap<u32, usize> = BTreeMap::new();
    // The cheapest stand first.
    for (i, piece) in pieces.iter().enumerate().filter(|(_, p)| p.standing > 0) {
        for &f in &piece.faces {
            let run = &mesh.runs[run_of[f as usize]];
            parts[run.part as usize] = Some(i);
            if let Some(m) = run.material {
                materials.insert(m, i);
            }
        }
    }
    for i in parts.into_iter().flatten().chain(materials.into_values()) {
        pieces[i].stays = true;
    }
}

impl Piece {
    /// Takes the piece away.
    pub fn drop_from(&mut self, state: &mut State, record: &mut Recorder) {
        let faces = &self.faces;
        let mean = (self.cost / self.area.max(f32::MIN_POSITIVE)).sqrt();
        let standing = faces
            .iter()
            .filter(|&&f| state.alive[f as usize])
            .map(|&f| state.source_face[f as usize]);
        record.drop_piece(standing, mean);
        for &f in faces {
            state.alive[f as usize] = false;
        }
        state.triangles -= self.standing;
        self.standing = 0;
    }
}
