//! Changes that know a format: what is left still looks like a file, and lies.

use std::io::{Cursor, Read, Write};

use serde_json::{Value, json};

/// Numbers drawn from a seed (G. Steele et al., *Fast Splittable Pseudorandom Number Generators*, 2014).
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        z ^ (z >> 31)
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }

    fn of<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.below(list.len())]
    }

    /// A count that somebody might write to do harm, or a harmless one.
    fn count(&mut self) -> u64 {
        let small = self.next() % 100;
        *self.of(&[
            0,
            1,
            2,
            3,
            small,
            255,
            256,
            65_535,
            65_536,
            1 << 24,
            1 << 28,
            (1 << 31) - 1,
            1 << 31,
            u64::from(u32::MAX),
            1 << 32,
            1 << 53,
            u64::MAX,
        ])
    }
}

/// The file with one change to its structure; `None` where it is too broken to be changed in that way.
pub fn changed(kind: &str, bytes: &[u8], seed: u64) -> Option<Vec<u8>> {
    let mut dice = Dice(seed);
    match kind {
        "glb" => glb(bytes, &mut dice),
        "gltf" => {
            let mut json: Value = serde_json::from_slice(bytes).ok()?;
            value(&mut json, &mut dice);
            serde_json::to_vec(&json).ok()
        }
        "ply" | "ply_text" => ply(bytes, &mut dice),
        "stl" => stl(bytes, &mut dice),
        "zip" => zip(bytes, &mut dice),
        _ => Some(lines(bytes, &mut dice)),
    }
}

/// Changes one value somewhere in a document.
fn value(json: &mut Value, dice: &mut Dice) {
    let places = count(json);
    let mut at = dice.below(places);
    change_at(json, &mut at, dice);
}

fn count(json: &Value) -> usize {
    1 + match json {
        Value::Array(list) => list.iter().map(count).sum(),
        Value::Object(map) => map.values().map(count).sum(),
        _ => 0,
    }
}

fn change_at(json: &mut Value, at: &mut usize, dice: &mut Dice) -> bool {
    if *at == 0 {
        change(json, dice);
        return true;
    }
    *at -= 1;
    match json {
        Value::Array(list) => list.iter_mut().any(|v| change_at(v, at, dice)),
        Value::Object(map) => map.values_mut().any(|v| change_at(v, at, dice)),
        _ => false,
    }
}

fn change(json: &mut Value, dice: &mut Dice) {
    let harm = dice.count();
    match json {
        Value::Number(_) => {
            *json = dice
                .of(&[
                    json!(harm),
                    json!(-1),
                    json!(0.5),
                    json!(1e308),
                    json!(-1e308),
                    json!(null),
                    json!("7"),
                ])
                .clone();
        }
        Value::String(text) => {
            let long = text.repeat(1 + dice.below(300));
            *json = dice
                .of(&[
                    json!(long),
                    json!(""),
                    json!("SCALAR"),
                    json!("MAT4"),
                    json!("data:;base64,AAAA"),
                    json!("../f.bin"),
                    json!(harm),
                ])
                .clone();
        }
        Value::Array(list) => match dice.below(4) {
            0 => list.clear(),
            1 => {
                let copy = list.clone();
                (0..1 + dice.below(30)).for_each(|_| list.extend(copy.iter().take(200).cloned()));
            }
            2 => list.reverse(),
            _ => *json = json!(harm),
        },
        Value::Object(map) => match dice.below(4) {
            0 if !map.is_empty() => {
                let key = map
                    .keys()
                    .nth(dice.below(map.len()))
                    .cloned()
                    .unwrap_or_default();
                map.remove(&key);
            }
            1 => {
                map.insert(
                    "sparse".to_owned(),
                    json!({
                        "count": dice.count(),
                        "indices": { "bufferView": dice.below(4), "componentType": 5125 },
                        "values": { "bufferView": dice.below(4) },
                    }),
                );
                map.remove("bufferView");
                map.insert("count".to_owned(), json!(harm));
            }
            2 => {
                map.insert("mesh".to_owned(), json!(dice.below(3)));
                map.insert("children".to_owned(), json!([dice.below(3), dice.below(3)]));
            }
            _ => *json = json!(null),
        },
        _ => *json = json!(harm),
    }
}

fn glb(bytes: &[u8], dice: &mut Dice) -> Option<Vec<u8>> {
    let size = u32::from_le_bytes(bytes.get(12..16)?.try_into().ok()?) as usize;
    let mut json: Value =
        serde_json::from_slice(bytes.get(20..20usize.checked_add(size)?)?).ok()?;
    let rest = bytes.get(20 + size..)?;
    value(&mut json, dice);
    let mut text = serde_json::to_vec(&json).ok()?;
    while text.len() % 4 != 0 {
        text.push(b' ');
    }
    let mut out = bytes.get(..8)?.to_vec();
    out.extend(((20 + text.len() + rest.len()) as u32).to_le_bytes());
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(b"JSON");
    out.extend(text);
    out.extend(rest);
    // Now and then a chunk says another length than it has.
    if dice.below(8) == 0 {
        let at = *dice.of(&[8usize, 12]);
        out[at..at + 4].copy_from_slice(&(dice.count() as u32).to_le_bytes());
    }
    Some(out)
}

fn ply(bytes: &[u8], dice: &mut Dice) -> Option<Vec<u8>> {
    let end = bytes.windows(11).position(|w| w == b"end_header\n")?;
    let header = std::str::from_utf8(&bytes[..end]).ok()?;
    let mut lines: Vec<String> = header.lines().map(str::to_owned).collect();
    let at = dice.below(lines.len());
    match dice.below(7) {
        // A count that is not there.
        0 => {
            for line in lines.iter_mut().filter(|l| l.starts_with("element")) {
                if dice.below(2) == 0 {
                    let name = line.split(' ').nth(1).unwrap_or("vertex").to_owned();
                    *line = format!("element {name} {}", dice.count());
                }
            }
        }
        // Rows without anything in them.
        1 => lines.retain(|l| !l.starts_with("property")),
        2 => {
            lines.remove(at);
        }
        3 => {
            let line = lines[at].clone();
            (0..1 + dice.below(40)).for_each(|_| lines.insert(at, line.clone()));
        }
        4 => {
            let types = [
                "char", "uchar", "short", "ushort", "int", "uint", "float", "double", "int8",
                "wide",
            ];
            let (a, b) = (*dice.of(&types), *dice.of(&types));
            let names = [
                "x",
                "vertex_indices",
                "vertex_index",
                "texcoord",
                "red",
                "part",
                "",
                "a b",
            ];
            let name = *dice.of(&names);
            let list = format!("property list {a} {b} {name}");
            let plain = format!("property {a} {name}");
            lines.insert(at, dice.of(&[list, plain]).clone());
        }
        5 => {
            let format = *dice.of(&["ascii", "binary_little_endian", "binary_big_endian", "none"]);
            for line in lines.iter_mut().filter(|l| l.starts_with("format")) {
                *line = format!("format {format} 1.0");
            }
        }
        _ => lines.insert(
            at,
            format!(
                "element {} {}",
                dice.of(&["vertex", "face", "edge", "tristrips"]),
                dice.count()
            ),
        ),
    }
    let mut out = lines.join("\n").into_bytes();
    out.push(b'\n');
    out.extend(&bytes[end..]);
    Some(out)
}

fn stl(bytes: &[u8], dice: &mut Dice) -> Option<Vec<u8>> {
    let mut out = bytes.to_vec();
    out.get_mut(80..84)?
        .copy_from_slice(&(dice.count() as u32).to_le_bytes());
    if dice.below(4) == 0 {
        out[..5].copy_from_slice(b"solid");
    }
    Some(out)
}

/// Formats of lines: keywords, references and numbers change places.
fn lines(bytes: &[u8], dice: &mut Dice) -> Vec<u8> {
    let text = String::from_utf8_lossy(bytes).into_owned();
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    if lines.is_empty() {
        return bytes.to_vec();
    }
    let (at, other) = (dice.below(lines.len()), dice.below(lines.len()));
    match dice.below(6) {
        0 => lines.swap(at, other),
        1 => {
            let line = lines[at].clone();
            (0..1 + dice.below(50)).for_each(|_| lines.insert(other, line.clone()));
        }
        2 => {
            let harm = dice.count();
            let mut words: Vec<String> = lines[at].split(' ').map(str::to_owned).collect();
            let place = dice.below(words.len());
            words[place] = dice
                .of(&[
                    harm.to_string(),
                    format!("-{harm}"),
                    format!("{harm}/{harm}/{harm}"),
                    "nan".to_owned(),
                    "1e999".to_owned(),
                    "//".to_owned(),
                ])
                .clone();
            lines[at] = words.join(" ");
        }
        3 => {
            let word = lines[at].clone();
            let long = word.split(' ').next_back().unwrap_or_default().to_owned();
            lines[at] = format!("{word}{}", format!(" {long}").repeat(dice.below(2000)));
        }
        4 => {
            let words = [
                "v", "vt", "vn", "f", "o", "g", "usemtl", "mtllib", "newmtl", "Kd", "map_Kd",
                "solid", "facet", "vertex", "endloop", "l", "s",
            ];
            let rest = lines[at].split_once(' ').map_or("", |(_, r)| r).to_owned();
            lines[at] = format!("{} {rest}", dice.of(&words));
        }
        _ => {
            lines.remove(at);
        }
    }
    let mut out = lines.join("\n").into_bytes();
    out.push(b'\n');
    out
}

/// The mesh inside changed, or what the archive says of it.
fn zip(bytes: &[u8], dice: &mut Dice) -> Option<Vec<u8>> {
    if dice.below(3) == 0 {
        // The sizes in the local header and in the directory (APPNOTE.TXT 4.3.7 and 4.3.12).
        let mut out = bytes.to_vec();
        let (mark, offset) = *dice.of(&[(b"PK\x03\x04", 18usize), (b"PK\x01\x02", 20usize)]);
        let at = out.windows(4).position(|w| w == mark)?;
        let field = at + offset + 4 * dice.below(2);
        out.get_mut(field..field + 4)?
            .copy_from_slice(&(dice.count() as u32).to_le_bytes());
        return Some(out);
    }
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).ok()?;
    let mut member = archive.by_index(0).ok()?;
    let mut inner = Vec::new();
    member.read_to_end(&mut inner).ok()?;
    let inner = ply(&inner, dice)?;
    let mut out = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for i in 0..1 + dice.below(3) {
        let name = *dice.of(&["a/f.ply", "../../f.ply", "f.PLY", "", ".hidden/f.ply"]);
        out.start_file(
            format!("{i}{name}"),
            zip::write::SimpleFileOptions::default(),
        )
        .ok()?;
        out.write_all(&inner).ok()?;
    }
    Some(out.finish().ok()?.into_inner())
}
