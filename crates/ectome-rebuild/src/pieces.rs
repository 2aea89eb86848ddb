//! The loose pieces of a source: turned outward where they can be, and open sheets told apart, around which nothing can be inside.
//!
//! A piece with borders is a sheet when the winding number beside it is far from a whole one. All pieces are asked together first, since
//! six loose plates may be a box; then sheets are peeled off, and what is left is asked again without them.

use ectome_mesh::{Cancelled, Mesh, Progress, topology::UnionFind};
use glam::{DVec3, Vec3};
use rayon::prelude::*;

use crate::{keyed::HashMap, winding::Winding};

/// A source divided.
pub(crate) struct Pieces {
    /// What encloses something, facing outward.
    pub solid: Winding,
    /// Triangles of open sheets.
    pub sheets: Vec<[Vec3; 3]>,
    /// Pieces that were turned outward.
    pub turned: usize,
    /// Pieces with borders and thin ones, in the order of their first faces.
    pub open: Vec<OpenPiece>,
    /// The piece of each face.
    pub of_face: Vec<u32>,
    /// Of each piece, whether it is a sheet.
    pub is_sheet: Vec<bool>,
    /// All pieces.
    pub count: usize,
}

/// A piece with borders, or a closed one too thin for the cells.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct OpenPiece {
    /// A face of it in the source.
    pub face: u32,
    /// Its middle, in metres.
    pub at_m: [f32; 3],
    /// How far across it is, in metres.
    pub across_m: f32,
    /// How far across its widest opening is, in metres; 0 for a closed one.
    pub mouth_m: f32,
    /// It encloses nothing, opens too wide to be closed, or is thin: it is a sheet.
    pub is_sheet: bool,
}

/// Triangles of a piece that are asked whether it encloses anything, at most.
const ASKED: usize = 200;
/// How far beside its surface it is asked, as a share of the source's diagonal.
const BESIDE: f32 = 0.003;
/// A piece whose winding number is this far from a whole one beside half its surface is a sheet. Sheets have .33 to .49, closed pieces
/// under .2.
const SHEET: f32 = 0.27;
/// The volume of a piece that bulges enough to have an outside, as a share of its area times its width; half a ball has .1.
const BULGE: f64 = 0.01;
/// Sheets that are peeled off one after another at most, once those that are sheets by themselves are off.
const ONE_BY_ONE: usize = 64;

/// A piece while it is looked at.
struct Piece {
    faces: Vec<u32>,
    triangles: Vec<[Vec3; 3]>,
    /// How far across its widest opening is; none for a closed one.
    mouth: Option<f32>,
    /// It is closed, and too thin for the cells.
    is_thin: bool,
}

/// What is taken as a sheet whatever it encloses, in metres.
#[derive(Clone, Copy)]
pub(crate) struct Limits {
    /// A piece with a wider opening.
    pub widest: f32,
    /// A closed piece that is thinner on the mean: cells would leave stripes of it.
    pub thinnest: f32,
}

/// Divides a mesh of triangles.
pub(crate) fn of(
    mesh: &Mesh,
    diagonal: f32,
    limits: Limits,
    progress: &Progress,
) -> Result<Pieces, Cancelled> {
    let Limits { widest, thinnest } = limits;
    let mut of_face = vec![0u32; mesh.face_count()];
    let components = components(mesh);
    for (n, faces) in components.iter().enumerate() {
        faces.iter().for_each(|&f| of_face[f as usize] = n as u32);
    }
    progress.go_on()?;
    let (list, turns): (Vec<Piece>, Vec<bool>) = components
        .into_par_iter()
        .map(|faces| {
            progress.go_on()?;
            let mut triangles: Vec<[Vec3; 3]> =
                faces.iter().map(|&f| mesh.triangle(f as usize)).collect();
            let turns = faces_inward(&triangles);
            if turns {
                triangles.iter_mut().for_each(|t| t.swap(1, 2));
            }
            let mouth = widest_opening(&triangles);
            let piece = Piece {
                is_thin: mouth.is_none() && thickness(&triangles) < f64::from(thinnest),
                mouth,
                faces,
                triangles,
            };
            Ok((piece, turns))
        })
        .collect::<Result<Vec<_>, Cancelled>>()?
        .into_iter()
        .unzip();
    let turned = turns.into_iter().filter(|&turns| turns).count();
    let is_open: Vec<usize> = (0..list.len())
        .filter(|&n| list[n].mouth.is_some() || list[n].is_thin)
        .collect();
    let by_itself = |p: &Piece| p.is_thin || p.mouth.is_some_and(|m| m > widest);
    let mut is_sheet: Vec<bool> = list.iter().map(by_itself).collect();
    let solid = peel(&list, &is_open, &mut is_sheet, BESIDE * diagonal, progress)?;
    let open = is_open.iter().map(|&n| {
        let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        for &p in list[n].triangles.iter().flatten() {
            (low, high) = (low.min(p), high.max(p));
        }
        OpenPiece {
            face: list[n].faces[0],
            at_m: (0.5 * (low + high)).to_array(),
            across_m: low.distance(high),
            mouth_m: list[n].mouth.unwrap_or(0.0),
            is_sheet: is_sheet[n],
        }
    });
    Ok(Pieces {
        solid,
        open: open.collect(),
        sheets: (0..list.len())
            .filter(|&n| is_sheet[n])
            .flat_map(|n| list[n].triangles.iter().copied())
            .collect(),
        // Which side of a sheet is out does not matter.
        turned,
        count: list.len(),
        of_face,
        is_sheet,
    })
}

/// Marks the sheets among open pieces, and makes the surface of all that are none.
fn peel(
    list: &[Piece],
    is_open: &[usize],
    is_sheet: &mut [bool],
    beside: f32,
    progress: &Progress,
) -> Result<Winding, Cancelled> {
    let solid = |is_sheet: &[bool]| {
        let own: Vec<[Vec3; 3]> = (0..list.len())
            .filter(|&n| !is_sheet[n])
            .flat_map(|n| list[n].triangles.iter().copied())
            .collect();
        Winding::of(&own)
    };
    let all = solid(is_sheet);
    let places: Vec<Vec<Vec3>> = is_open
        .iter()
        .map(|&n| places_beside(&list[n].triangles, beside))
        .collect();
    let mut numbers: Vec<Vec<f32>> = places
        .par_iter()
        .map(|own| own.iter().map(|&p| all.at(p)).collect())
        .collect();
    let mut peeled = false;
    for round in 0..=ONE_BY_ONE {
        progress.go_on()?;
        let left = |k: &usize| !is_sheet[is_open[*k]];
        let off: Vec<(usize, f32)> = (0..is_open.len())
            .filter(left)
            .map(|k| (k, away_from_whole(&numbers[k])))
            .filter(|(_, off)| *off > SHEET)
            .collect();
        if off.is_empty() {
            break;
        }
        // First all at once that are sheets by themselves, too; then the worst, again and again.
        let mut gone: Vec<usize> = Vec::new();
        if round == 0 {
            gone = off
                .par_iter()
                .map(|&(k, _)| k)
                .filter(|&k| {
                    let own = Winding::of(&list[is_open[k]].triangles);
                    let alone: Vec<f32> = places[k].iter().map(|&p| own.at(p)).collect();
                    away_from_whole(&alone) > SHEET
                })
                .collect();
        }
        if gone.is_empty() {
            let worst = off
                .iter()
                .max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0)));
            gone.extend(worst.map(|w| w.0));
        }
        peeled = true;
        let own: Vec<[Vec3; 3]> = gone
            .iter()
            .flat_map(|&k| list[is_open[k]].triangles.iter().copied())
            .collect();
        let own = Winding::of(&own);
        gone.iter().for_each(|&k| is_sheet[is_open[k]] = true);
        numbers.par_iter_mut().zip(&places).for_each(|(n, p)| {
            n.iter_mut().zip(p).for_each(|(n, &p)| *n -= own.at(p));
        });
    }
    Ok(if peeled { solid(is_sheet) } else { all })
}

/// Places on both sides of some of a piece's triangles.
fn places_beside(triangles: &[[Vec3; 3]], beside: f32) -> Vec<Vec3> {
    let every = triangles.len().div_ceil(ASKED);
    triangles
        .iter()
        .step_by(every)
        .flat_map(|&[a, b, c]| {
            let normal = (b - a).cross(c - a).normalize_or_zero();
            let middle = (a + b + c) / 3.0;
            [-1.0, 1.0].map(|side| middle + normal * (side * beside))
        })
        .collect()
}

/// How far winding numbers are from whole ones, in the middle of their order.
fn away_from_whole(numbers: &[f32]) -> f32 {
    let mut off: Vec<f32> = numbers.iter().map(|w| (w - w.round()).abs()).collect();
    off.sort_by(f32::total_cmp);
    off.get(off.len() / 2).copied().unwrap_or(0.0)
}

/// Faces that hang together by common points, in the order of their first faces.
fn components(mesh: &Mesh) -> Vec<Vec<u32>> {
    let mut sets = UnionFind::new(mesh.points.len());
    // Points at one place are one: soup shares places, not points.
    let mut at: HashMap<[u32; 3], u32> = HashMap::default();
    for (p, place) in mesh.points.iter().enumerate() {
        let key = (*place + Vec3::ZERO).to_array().map(f32::to_bits);
        let first = *at.entry(key).or_insert(p as u32);
        sets.join(first, p as u32);
    }
    for f in 0..mesh.face_count() {
        let [a, b, c] = mesh.triangle_points(f);
        sets.join(a, b);
        sets.join(a, c);
    }
    let mut slot: HashMap<u32, usize> = HashMap::default();
    let mut list: Vec<Vec<u32>> = Vec::new();
    for f in 0..mesh.face_count() {
        let r = sets.find(mesh.triangle_points(f)[0]);
        let at = *slot.entry(r).or_insert_with(|| {
            list.push(Vec::new());
            list.len() - 1
        });
        list[at].push(f as u32);
    }
    list
}

/// How far across the widest opening of a piece is: the diagonal of a loop of edges with one face. None for a closed piece.
fn widest_opening(triangles: &[[Vec3; 3]]) -> Option<f32> {
    type Place = [u32; 3];
    let mut edges: HashMap<[Place; 2], u32> = HashMap::default();
    edges.reserve(2 * triangles.len());
    for t in triangles {
        let t = t.map(|p| (p + Vec3::ZERO).to_array().map(f32::to_bits));
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *edges
                .entry(if a < b { [a, b] } else { [b, a] })
                .or_default() += 1;
        }
    }
    let mut parent: HashMap<Place, Place> = HashMap::default();
    fn root(parent: &mut HashMap<Place, Place>, mut p: Place) -> Place {
        while let Some(&up) = parent.get(&p).filter(|up| **up != p) {
            let over = parent.get(&up).copied().unwrap_or(up);
            parent.insert(p, over);
            p = over;
        }
        parent.entry(p).or_insert(p);
        p
    }
    for [a, b] in edges.iter().filter(|(_, n)| **n == 1).map(|(e, _)| *e) {
        let (a, b) = (root(&mut parent, a), root(&mut parent, b));
        parent.insert(a.max(b), a.min(b));
    }
    let mut bounds: HashMap<Place, (Vec3, Vec3)> = HashMap::default();
    let all: Vec<Place> = parent.keys().copied().collect();
    for p in all {
        let place = Vec3::from_array(p.map(f32::from_bits));
        let own = bounds.entry(root(&mut parent, p)).or_insert((place, place));
        *own = (own.0.min(place), own.1.max(place));
    }
    bounds
        .into_values()
        .map(|(low, high)| low.distance(high))
        .reduce(f32::max)
}

/// How thick a closed piece is: twice its volume for its area, which is what a plate's two sides are apart.
fn thickness(triangles: &[[Vec3; 3]]) -> f64 {
    let middle = triangles.first().map_or(DVec3::ZERO, |t| t[0].as_dvec3());
    let (mut volume, mut area) = (0.0f64, 0.0f64);
    for t in triangles {
        let [a, b, c] = t.map(|p| p.as_dvec3() - middle);
        volume += a.dot(b.cross(c)) / 6.0;
        area += 0.5 * (b - a).cross(c - a).length();
    }
    2.0 * volume.abs() / area.max(f64::MIN_POSITIVE)
}

/// Whether a piece shows its back: its volume as seen from its middle is negative. Of plates that hardly bulge nothing can be told.
fn faces_inward(triangles: &[[Vec3; 3]]) -> bool {
    let count = 3.0 * triangles.len().max(1) as f64;
    let sum: DVec3 = triangles.iter().flatten().map(|p| p.as_dvec3()).sum();
    let middle = sum / count;
    let (mut volume, mut area, mut across) = (0.0f64, 0.0f64, 0.0f64);
    for t in triangles {
        let [a, b, c] = t.map(|p| p.as_dvec3() - middle);
        volume += a.dot(b.cross(c)) / 6.0;
        area += 0.5 * (b - a).cross(c - a).length();
        across = across.max(2.0 * a.length());
    }
    volume < -BULGE * area * across
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{MeshBuilder, Primitive, edit, shapes};
    use glam::Affine3A;

    use super::*;

    fn divided(mesh: &Mesh, diagonal: f32, widest: f32) -> Pieces {
        let limits = Limits {
            widest,
            thinnest: 0.0,
        };
        of(mesh, diagonal, limits, &Progress::new()).unwrap()
    }

    #[test]
    fn a_ball_inside_out_is_turned_and_a_cap_is_a_sheet() {
        let mut ball = shapes::icosphere(1.0, 4);
        ball.corners.chunks_exact_mut(3).for_each(|t| t.swap(1, 2));
        let pieces = divided(&ball, 3.4, f32::INFINITY);
        assert_eq!((pieces.turned, pieces.open.len(), pieces.count), (1, 0, 1));
        assert!(pieces.solid.at(Vec3::ZERO) > 0.9);
        let ball = shapes::icosphere(1.0, 4);
        let cap = edit::kept(&ball, |f| ball.triangle(f)[0].y > 0.8);
        let pieces = divided(&cap, 3.4, f32::INFINITY);
        assert!(pieces.open[0].is_sheet && pieces.open.len() == 1);
        assert_eq!(pieces.sheets.len(), cap.face_count());
        // A ball with a small hole is no sheet.
        let holed = edit::kept(&ball, |f| ball.triangle(f)[0].y < 0.95);
        assert!(!divided(&holed, 3.4, f32::INFINITY).open[0].is_sheet);
        // Unless nobody wants so wide a hole closed.
        let mouth = divided(&holed, 3.4, f32::INFINITY).open[0].mouth_m;
        assert!((0.7..1.0).contains(&mouth), "{mouth}");
        assert!(divided(&holed, 3.4, 0.5).open[0].is_sheet);
    }

    /// Six loose plates with slits between them are a box; one that stands beside it is a sheet.
    #[test]
    fn plates_that_make_a_box_are_no_sheets() {
        let mut builder = MeshBuilder::new();
        let plate = |side: Vec3, up: Vec3, at: Vec3| {
            let corner = |u: f32, v: f32| at + side * u + up * v;
            Primitive {
                positions: vec![
                    corner(-1.0, -1.0),
                    corner(1.0, -1.0),
                    corner(1.0, 1.0),
                    corner(-1.0, 1.0),
                ],
                corners: vec![0, 1, 2, 0, 2, 3],
                ..Primitive::default()
            }
        };
        let (x, y, z) = (Vec3::X * 0.98, Vec3::Y * 0.98, Vec3::Z * 0.98);
        builder
            .part("plates", Affine3A::IDENTITY)
            .primitive(plate(y, z, Vec3::X))
            .primitive(plate(z, y, -Vec3::X))
            .primitive(plate(z, x, Vec3::Y))
            .primitive(plate(x, z, -Vec3::Y))
            .primitive(plate(x, y, Vec3::Z))
            .primitive(plate(y, x, -Vec3::Z))
            .primitive(plate(x, y, 4.0 * Vec3::Z));
        let pieces = divided(&builder.finish(), 6.0, f32::INFINITY);
        let sheets: Vec<bool> = pieces.open.iter().map(|p| p.is_sheet).collect();
        assert_eq!(sheets, [false, false, false, false, false, false, true]);
        assert!(pieces.solid.at(Vec3::ZERO) > 0.9);
    }
}
