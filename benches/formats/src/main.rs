//! Parsing into our tree with spans, against the plain parser of each format on the same bytes: best of seven,
//! interleaved in one run. Prints times, the share, and the tree's bytes against the text's.

use std::fmt::Write;
use std::hint::black_box;
use std::time::{Duration, Instant};

use cognomen_core::{Document, FileId, Format, Names};

/// Definitions in each text.
const COUNT: usize = 40_000;

/// What real definitions have beside their numbers: with it a node has about as many bytes of text as in the
/// workspaces that `cargo xtask generate` writes (24).
const ABOUT: &str = "Long and grey; the smokers at the weir take it by the score when the first frost is on the reeds.";

fn json() -> String {
    let mut out = String::from("{\n");
    for n in 0..COUNT {
        let last = if n + 1 == COUNT { "" } else { "," };
        let _ = writeln!(
            out,
            "  \"eel-{n}\": {{ \"name\": \"Eel of the {n}th ditch\", \"about\": \"{ABOUT}\", \"value\": {}, \"weight\": 0.{n}, \"tags\": [\"fish\", \"wet\", \"b{}\"], \"drops\": [{{ \"what\": \"skin-{}\", \"many\": 2 }}] }}{last}",
            n % 97,
            n % 7,
            n % 31
        );
    }
    out + "}\n"
}

fn toml_text() -> String {
    let mut out = String::new();
    for n in 0..COUNT {
        let _ = writeln!(
            out,
            "[eel-{n}]\nname = \"Eel of the {n}th ditch\"\nabout = \"{ABOUT}\"\nvalue = {}\nweight = 0.{n}\ntags = [\"fish\", \"wet\", \"b{}\"]\ndrops = [{{ what = \"skin-{}\", many = 2 }}]\n",
            n % 97,
            n % 7,
            n % 31
        );
    }
    out
}

fn yaml() -> String {
    let mut out = String::new();
    for n in 0..COUNT {
        let _ = writeln!(
            out,
            "eel-{n}:\n  name: Eel of the {n}th ditch\n  about: {ABOUT}\n  value: {}\n  weight: 0.{n}\n  tags: [fish, wet, b{}]\n  drops:\n    - what: skin-{}\n      many: 2",
            n % 97,
            n % 7,
            n % 31
        );
    }
    out
}

fn xml() -> String {
    let mut out = String::from("<fen>\n");
    for n in 0..COUNT {
        let _ = writeln!(
            out,
            "  <eel id=\"eel-{n}\" value=\"{}\">\n    <name>Eel of the {n}th ditch</name>\n    <about>{ABOUT}</about>\n    <weight>0.{n}</weight>\n    <tag>fish</tag>\n    <tag>wet</tag>\n    <drop what=\"skin-{}\" many=\"2\"/>\n  </eel>",
            n % 97,
            n % 31
        );
    }
    out + "</fen>\n"
}

fn csv_text() -> String {
    let mut out = String::from("id,name,about,value,weight,tag,note\n");
    for n in 0..COUNT * 3 {
        let _ = writeln!(out, "eel-{n},Eel of the {n}th ditch,{ABOUT},{},0.{n},fish,\"wet, and \"\"cold\"\"\"", n % 97);
    }
    out
}

/// The plain parser of a format over the whole text.
fn plain(format: Format, text: &str) -> usize {
    match format {
        Format::Json => serde_json::from_str::<serde_json::Value>(text).map_or(0, |value| {
            let count = value.as_object().map_or(0, serde_json::Map::len);
            black_box(value);
            count
        }),
        Format::Toml => text.parse::<toml::Table>().map_or(0, |table| black_box(table).len()),
        Format::Yaml => {
            let mut parser = granit_parser::Parser::new_from_str(text);
            let mut count = 0;
            while let Some(Ok(event)) = parser.next_event() {
                black_box(&event);
                count += 1;
            }
            count
        }
        Format::Xml => {
            let mut reader = quick_xml::Reader::from_str(text);
            let mut count = 0;
            loop {
                match reader.read_event() {
                    Ok(quick_xml::events::Event::Eof) | Err(_) => return count,
                    Ok(quick_xml::events::Event::Start(tag) | quick_xml::events::Event::Empty(tag)) => {
                        for attribute in tag.attributes() {
                            black_box(&attribute);
                        }
                        count += 1;
                    }
                    Ok(event) => {
                        black_box(&event);
                        count += 1;
                    }
                }
            }
        }
        _ => {
            let mut reader = csv::Reader::from_reader(text.as_bytes());
            let mut record = csv::StringRecord::new();
            let mut count = 0;
            while reader.read_record(&mut record).unwrap_or(false) {
                black_box(&record);
                count += 1;
            }
            count
        }
    }
}

fn main() {
    let texts = [
        (Format::Json, json(), 1.0),
        (Format::Toml, toml_text(), 2.0),
        (Format::Yaml, yaml(), 2.0),
        (Format::Xml, xml(), 2.0),
        (Format::Csv, csv_text(), 1.0),
    ];
    println!("{:5} {:>7} {:>9} {:>9} {:>7} {:>7} {:>11}", "", "MB", "plain ms", "ours ms", "share", "budget", "tree/text");
    for (format, text, budget) in texts {
        let (mut theirs, mut ours) = (Duration::MAX, Duration::MAX);
        let mut tree = 0;
        for _ in 0..7 {
            let start = Instant::now();
            assert!(plain(format, &text) > 1);
            theirs = theirs.min(start.elapsed());
            let names = Names::new();
            let copy: std::sync::Arc<str> = text.as_str().into();
            let start = Instant::now();
            let document = Document::parse(FileId::default(), format, copy, &names);
            ours = ours.min(start.elapsed());
            assert!(!document.is_broken());
            tree = document.tree_bytes();
        }
        println!(
            "{:5} {:7.1} {:9.1} {:9.1} {:6.2}x {:6.1}x {:10.2}x",
            format.name(),
            text.len() as f64 / 1e6,
            theirs.as_secs_f64() * 1e3,
            ours.as_secs_f64() * 1e3,
            ours.as_secs_f64() / theirs.as_secs_f64(),
            budget,
            tree as f64 / text.len() as f64
        );
    }
}
