//! Files that we write, read by readers that are not ours: nothing is lost, moved or turned.

use std::{fs::File, io::BufReader, path::Path, process::Command};

use ectome_e2e::{app::program, validator};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress, shapes};
use ectome_recipe::triangles::triangulated;
use glam::{Affine3A, Vec2, Vec3};

/// Figures by which two readers are compared: triangles, bounds, area, and the area of the UVs.
#[derive(Debug, Default, Clone, Copy)]
struct Figures {
    triangles: usize,
    low: Vec3,
    high: Vec3,
    area: f64,
    uv_area: f64,
}

impl Figures {
    fn of(triangles: impl Iterator<Item = ([Vec3; 3], [Vec2; 3])>) -> Self {
        let mut out = Self {
            low: Vec3::INFINITY,
            high: Vec3::NEG_INFINITY,
            ..Self::default()
        };
        for (p, uv) in triangles {
            out.triangles += 1;
            for q in p {
                out.low = out.low.min(q);
                out.high = out.high.max(q);
            }
            out.area += 0.5 * f64::from((p[1] - p[0]).cross(p[2] - p[0]).length());
            out.uv_area += 0.5 * f64::from((uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs());
        }
        out
    }

    fn of_mesh(mesh: &Mesh) -> Self {
        let uv = |v: u32| mesh.uv_sets.first().map_or(Vec2::ZERO, |s| s[v as usize]);
        Self::of((0..mesh.face_count()).map(|f| {
            let face = mesh.face(f);
            (mesh.triangle(f), [face[0], face[1], face[2]].map(uv))
        }))
    }

    #[track_caller]
    fn equals(self, other: Self, what: &str) {
        assert_eq!(self.triangles, other.triangles, "{what}");
        let size = (self.high - self.low).length();
        assert!(
            self.low.distance(other.low) + self.high.distance(other.high) < 1e-5 * size,
            "{what}: {self:?} {other:?}"
        );
        assert!(
            (self.area - other.area).abs() < 1e-4 * self.area,
            "{what}: {self:?} {other:?}"
        );
        assert!(
            (self.uv_area - other.uv_area).abs() < 1e-4 * self.uv_area.max(1e-9),
            "{what}: {self:?} {other:?}"
        );
    }
}

/// The tide plate as a file, cut to half as `format` on the command line, and the figures of the same as GLB.
fn cut_as(folder: &Path, format: &str) -> Figures {
    let source = folder.join("plate.glb");
    let scene = triangulated(ectome_demo::once::tide_plate(), &Progress::new()).unwrap();
    std::fs::write(
        &source,
        glb::write(&scene, &glb::Options::default()).unwrap(),
    )
    .unwrap();
    for end in [format, "glb"] {
        let done = Command::new(program())
            .args(["cut", "--to", "2000", "-o"])
            .arg(folder.join(format!("low.{end}")))
            .arg(&source)
            .output()
            .unwrap();
        assert!(done.status.success(), "{done:?}");
    }
    Figures::of_mesh(&ectome_outside::read(&folder.join("low.glb")).mesh)
}

#[test]
fn obj_by_obj() {
    let folder = tempfile::tempdir().unwrap();
    let ours = cut_as(folder.path(), "obj");
    let file = BufReader::new(File::open(folder.path().join("low.obj")).unwrap());
    let data = obj::ObjData::load_buf(file).unwrap();
    let mut list = Vec::new();
    for polygon in data
        .objects
        .iter()
        .flat_map(|o| &o.groups)
        .flat_map(|g| &g.polys)
    {
        let corners: Vec<(Vec3, Vec2)> = polygon
            .0
            .iter()
            .map(|i| {
                let uv =
                    i.1.map_or(Vec2::ZERO, |t| Vec2::from_array(data.texture[t]));
                (Vec3::from_array(data.position[i.0]), uv)
            })
            .collect();
        assert_eq!(corners.len(), 3);
        let c = [corners[0], corners[1], corners[2]];
        list.push((c.map(|c| c.0), c.map(|c| c.1)));
    }
    ours.equals(Figures::of(list.into_iter()), "OBJ");
}

#[test]
fn ply_by_ply_rs() {
    use ply_rs_bw::{
        parser::Parser,
        ply::{DefaultElement, Property},
    };
    let folder = tempfile::tempdir().unwrap();
    let ours = cut_as(folder.path(), "ply");
    let mut file = BufReader::new(File::open(folder.path().join("low.ply")).unwrap());
    let ply = Parser::<DefaultElement>::new().read_ply(&mut file).unwrap();
    let float = |e: &DefaultElement, names: &[&str]| {
        names.iter().find_map(|n| match e.get(*n) {
            Some(Property::Float(v)) => Some(*v),
            Some(Property::Double(v)) => Some(*v as f32),
            _ => None,
        })
    };
    let vertices: Vec<(Vec3, Vec2)> = ply.payload["vertex"]
        .iter()
        .map(|e| {
            let at = [["x"], ["y"], ["z"]].map(|n| float(e, &n).expect("a place"));
            let uv = [["u", "s", "texture_u"], ["v", "t", "texture_v"]]
                .map(|n| float(e, &n).unwrap_or(0.0));
            (Vec3::from_array(at), Vec2::from_array(uv))
        })
        .collect();
    let list: Vec<_> = ply.payload["face"]
        .iter()
        .map(|e| {
            let list = e.get("vertex_indices").or_else(|| e.get("vertex_index"));
            let corners: Vec<usize> = match list {
                Some(Property::ListUInt(l)) => l.iter().map(|&i| i as usize).collect(),
                Some(Property::ListInt(l)) => l.iter().map(|&i| i as usize).collect(),
                other => panic!("a face without corners: {other:?}"),
            };
            let c = [0, 1, 2].map(|k| vertices[corners[k]]);
            (c.map(|c| c.0), c.map(|c| c.1))
        })
        .collect();
    ours.equals(Figures::of(list.into_iter()), "PLY");
}

/// Colours and several UV sets, some parts with and some without, pass the validator of glTF 2.0.
#[test]
fn a_glb_with_colours_and_several_uv_sets_is_valid() {
    let folder = tempfile::tempdir().unwrap();
    let ball = shapes::icosphere(1.0, 2);
    let uv = |by: f32| -> Vec<Vec2> {
        ball.points
            .iter()
            .map(|p| p.truncate() * by + 0.5)
            .collect()
    };
    let mut builder = MeshBuilder::new();
    for (i, sets) in [vec![uv(0.4)], vec![uv(0.4), uv(0.3), uv(0.2)], Vec::new()]
        .into_iter()
        .enumerate()
    {
        builder
            .part(
                &format!("ball {i}"),
                Affine3A::from_translation(Vec3::X * 3.0 * i as f32),
            )
            .primitive(Primitive {
                positions: ball.points.clone(),
                uv_sets: sets,
                colours: match i {
                    2 => Vec::new(),
                    _ => ball
                        .points
                        .iter()
                        .map(|p| (0.5 * *p + 0.5).extend(1.0))
                        .collect(),
                },
                corners: (0..ball.face_count())
                    .flat_map(|f| ball.triangle_points(f))
                    .collect(),
                ..Primitive::default()
            });
    }
    let source = folder.path().join("balls.glb");
    let scene = Scene::from(builder.finish());
    std::fs::write(
        &source,
        glb::write(&scene, &glb::Options::default()).unwrap(),
    )
    .unwrap();
    let low = folder.path().join("low.glb");
    let done = Command::new(program())
        .args(["cut", "--to", "300", "-o"])
        .arg(&low)
        .arg(&source)
        .output()
        .unwrap();
    assert!(done.status.success(), "{done:?}");
    for file in [&source, &low] {
        let report = validator::validate(file);
        assert_eq!(
            (&report["errors"], &report["warnings"]),
            (&0.into(), &0.into()),
            "{report}"
        );
        let mesh = ectome_outside::read(file).mesh;
        assert_eq!(mesh.uv_sets.len(), 3);
        assert!(!mesh.colours.is_empty());
        let sets: Vec<u32> = mesh
            .runs
            .iter()
            .map(|r| u32::from(r.channels.uv_sets))
            .collect();
        assert_eq!(sets, [1, 3, 0]);
    }
}
