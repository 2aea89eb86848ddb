use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress};
use glam::{Affine3A, Vec2, Vec3};
use std::time::Instant;
fn read(path: &str, uv: bool) -> Mesh {
    let b = std::fs::read(path).unwrap();
    let u = |i: usize| u32::from_le_bytes(b[4 * i..4 * i + 4].try_into().unwrap());
    let f = |i: usize| f32::from_le_bytes(b[4 * i..4 * i + 4].try_into().unwrap());
    let (nv, nt, h) = (u(0) as usize, u(1) as usize, u(2) == 1);
    let mut p = Primitive::default();
    for v in 0..nv {
        p.positions
            .push(Vec3::new(f(3 + 3 * v), f(4 + 3 * v), f(5 + 3 * v)));
    }
    let mut o = 3 + 3 * nv;
    if h {
        if uv {
            p.uv_sets.push(
                (0..nv)
                    .map(|v| Vec2::new(f(o + 2 * v), f(o + 2 * v + 1)))
                    .collect(),
            );
        }
        o += 2 * nv;
    }
    p.corners = (0..3 * nt).map(|i| u(o + i)).collect();
    let mut m = MeshBuilder::new();
    m.part("x", Affine3A::IDENTITY).primitive(p);
    m.finish()
}
fn main() {
    let a: Vec<String> = std::env::args().collect();
    let uv = std::env::var("NOUV").is_err();
    let mesh = read(&a[1], uv);
    let s = Instant::now();
    let log = ectome_reduce::analyse(&mesh, &Default::default(), &Progress::new()).unwrap();
    println!(
        "{} analysis {:.2}s log {:.1} B/tri",
        a[1],
        s.elapsed().as_secs_f64(),
        log.to_bytes().len() as f64 / mesh.triangle_count() as f64
    );
    let s = Instant::now();
    let replay = ectome_reduce::Replay::new(&mesh, &log).unwrap();
    println!(
        "tables {:.3}s least {}",
        s.elapsed().as_secs_f64(),
        replay.least()
    );
    for t in &a[2..] {
        let target: usize = t.parse().unwrap();
        let s = Instant::now();
        let mut cut = replay.at(&mesh, &log, target).unwrap();
        let took = s.elapsed().as_secs_f64() * 1e3;
        let s = Instant::now();
        if std::env::var("REFINE").is_ok() {
            ectome_reduce::refine(&mesh, &Default::default(), &mut cut, &Progress::new()).unwrap();
            println!("refined in {:.2}s", s.elapsed().as_secs_f64());
        }
        let r = ectome_compare::compare(&mesh, &cut.mesh, &Progress::new()).unwrap();
        let e = log
            .error_curve(200)
            .into_iter()
            .find(|e| e.0 as usize <= target)
            .unwrap_or((0, 0.0))
            .1 as f64
            / r.diagonal_m as f64
            * 100.0;
        println!(
            "{} -> {} replay {took:.1}ms mean {:.5} max {:.4} est {e:.4} open {} nm {} flipped {} comps {} dropped {} rel {} {}",
            mesh.triangle_count(),
            cut.mesh.triangle_count(),
            r.deviation_mean_percent_of_diagonal,
            r.deviation_max_percent_of_diagonal,
            r.low.open_edges,
            r.low.nonmanifold_edges,
            r.flipped_faces,
            r.low.components,
            cut.pieces_dropped,
            cut.corners_released,
            cut.lines_released
        );
    }
}
