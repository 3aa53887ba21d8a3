//! Parses every JSON file below a folder into `serde_json::Value` on one thread and keeps all of them.
//! Prints seconds, bytes and peak memory (kB; 0 where the system does not say).

use std::time::Instant;

fn main() {
    let top = std::env::args().nth(1).expect("a folder");
    let start = Instant::now();
    let mut files: Vec<_> = walkdir::WalkDir::new(top)
        .into_iter()
        .filter_map(Result::ok)
        .filter(|entry| entry.path().extension().is_some_and(|ending| ending == "json"))
        .map(walkdir::DirEntry::into_path)
        .collect();
    files.sort();
    let mut bytes = 0;
    let mut kept = Vec::new();
    for file in files {
        let text = std::fs::read(&file).expect("readable");
        bytes += text.len();
        kept.push(serde_json::from_slice::<serde_json::Value>(&text).expect("valid"));
    }
    let seconds = start.elapsed().as_secs_f64();
    println!("{seconds} {bytes} {}", peak());
    // kept until here, and not torn down piece by piece
    std::mem::forget(kept);
}

fn peak() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    line.and_then(|line| line.trim().trim_end_matches(" kB").parse().ok()).unwrap_or(0)
}
