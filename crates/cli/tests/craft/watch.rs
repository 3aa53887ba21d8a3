//! `watch`: what is told after a change is what a check from the start would tell, and what is built and installed is as
//! if it had been done by hand.
use crate::common::Folder;
use serde_json::Value;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

/// A watch that is going on; it ends with the test.
struct Watch {
    child: Child,
    lines: Receiver<Value>,
}

impl Watch {
    fn start(folder: &Folder, line: &[&str]) -> Watch {
        let mut child = Command::new(env!("CARGO_BIN_EXE_cognomen"))
            .args(["watch", "--format", "json"].iter().chain(line))
            .current_dir(folder.path())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let out = BufReader::new(child.stdout.take().unwrap());
        let (send, lines) = channel();
        std::thread::spawn(move || {
            for line in out.lines().map_while(Result::ok) {
                let _ = send.send(serde_json::from_str(&line).unwrap());
            }
        });
        Watch { child, lines }
    }

    /// What is said next.
    fn next(&self) -> Value {
        self.lines.recv_timeout(Duration::from_secs(30)).expect("nothing was said")
    }

    /// Waits until a change is told after which it looks so: a change may be seen in two steps.
    fn until(&self, what: &str, is: impl Fn(&Value) -> bool) -> Value {
        loop {
            let next = self.next();
            if is(&next) {
                return next;
            }
            assert!(!next["changed"].as_array().unwrap().is_empty(), "{what}: {next}");
        }
    }

    fn says_nothing(&self) {
        assert!(self.lines.recv_timeout(Duration::from_millis(700)).is_err());
    }
}

impl Drop for Watch {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn number(answer: &Value, key: &str) -> u64 {
    answer[key].as_u64().unwrap()
}

#[test]
fn what_a_change_brings_and_takes_is_told_built_and_installed() {
    for how in [
        &["--mod", "long-night", "--build", "--install"][..],
        &["--mod", "long-night", "--build", "--install", "--poll", "60"],
    ] {
        let folder = Folder::demo();
        let watch = Watch::start(&folder, how);
        let first = watch.next();
        assert_eq!((number(&first, "errors"), first["new"].as_array().unwrap().len()), (0, 0), "{first}");
        assert!(folder.file("build/long-night/mod.json").is_file());
        assert!(folder.file("game/mods/long-night/mod.json").is_file());
        let path = "mods/long-night/goods/wicks.json";
        let well = folder.read(path);
        // a slip: told with its place, built, and not installed
        let slip = well.replacen("\"tags\": [\"", "\"tags\": [\"lihgt\", \"", 1);
        assert_ne!(slip, well);
        let installed = folder.read("game/mods/long-night/goods/wicks.json");
        folder.put(path, &slip);
        let told = watch.until("a slip", |told| number(told, "errors") == 1);
        assert_eq!((&told["changed"][0], &told["new"][0]["code"]), (&path.into(), &"leads-nowhere".into()), "{told}");
        assert!(told["installed"].as_array().unwrap().is_empty());
        assert_eq!(folder.read("game/mods/long-night/goods/wicks.json"), installed);
        let by_hand = folder.run(&["check", "--mod", "long-night", "--format", "json"]).json();
        assert_eq!(by_hand["errors"], told["errors"]);
        // as editors write: another file first, which then takes the place
        folder.put("mods/long-night/goods/wicks.json~", &well);
        std::fs::rename(folder.file("mods/long-night/goods/wicks.json~"), folder.file(path)).unwrap();
        let told = watch.until("mended", |told| number(told, "errors") == 0);
        assert_eq!(told["gone"][0]["code"], "leads-nowhere");
        assert_eq!(folder.read("game/mods/long-night/goods/wicks.json"), installed);
        // new files, and files that go
        folder.put(
            "mods/long-night/goods/odd.json",
            "{ \"odd-thing\": { \"value\": 5, \"weight\": 1, \"tags\": [\"tool\"] } }\n",
        );
        let told = watch.until("a new file", |told| number(told, "warnings") > 0);
        assert!(told["built"].as_array().unwrap().contains(&"goods/odd.json".into()), "{told}");
        std::fs::remove_file(folder.file("mods/long-night/goods/odd.json")).unwrap();
        watch.until("a file goes", |told| number(told, "warnings") == 0);
        assert!(!folder.file("game/mods/long-night/goods/odd.json").exists());
        // a whole folder goes, and comes back
        std::fs::rename(folder.file("mods/long-night/goods"), folder.file("goods-away")).unwrap();
        watch.until("a folder goes", |told| number(told, "errors") > 0);
        std::fs::rename(folder.file("goods-away"), folder.file("mods/long-night/goods")).unwrap();
        watch.until("a folder comes", |told| number(told, "errors") + number(told, "warnings") == 0);
        // what is nobody's is passed over, and what is written as it was
        folder.put("build/long-night/mine.txt", "x");
        folder.put("mods/long-night/.odd.json.swp", "x");
        folder.put(path, &well);
        watch.says_nothing();
        drop(watch);
        let again = folder.run(&["install", "--mod", "long-night", "--format", "json"]).json();
        assert_eq!(again["games"][0]["written"], serde_json::json!([]), "{again}");
    }
}

#[test]
fn a_base_and_a_rulebook_that_lie_elsewhere_are_watched_too() {
    let folder = Folder::empty();
    folder.put("data/wares.json", "{ \"jug\": { \"price\": 3 }, \"bowl\": { \"price\": 4 } }\n");
    assert_eq!(folder.run(&["init", "ws", "--base", "data"]).code, 0);
    assert_eq!(folder.run(&["mods", "new", "kiln", "--workspace", "ws"]).code, 0);
    assert_eq!(folder.run(&["set", "ware/jug", "price=9", "--workspace", "ws"]).code, 0);
    let watch = Watch::start(&folder, &["--workspace", "ws"]);
    assert_eq!(number(&watch.next(), "errors"), 0);
    folder.put("data/wares.json", "{ \"jar\": { \"price\": 3 }, \"bowl\": { \"price\": 4 } }\n");
    let told = watch.until("the base changes", |told| number(told, "errors") > 0);
    assert_eq!(
        (&told["changed"][0], &told["new"][0]["code"]),
        (&"../data/wares.json".into(), &"amends-nothing".into()),
        "{told}"
    );
}

#[test]
fn many_changes_at_once_and_a_rulebook_that_breaks_are_lived_through() {
    let folder = Folder::demo();
    let watch = Watch::start(&folder, &["--mod", "smoke-and-salt"]);
    watch.next();
    for nth in 0..200 {
        folder.put(
            &format!("mods/smoke-and-salt/goods/many-{nth}.json"),
            &format!("{{ \"thing-{}\": {{ \"based_on\": \"salt\" }} }}\n", "a".repeat(nth + 1)),
        );
    }
    watch.until("many files", |told| number(told, "warnings") >= 200);
    let rulebook = folder.read("rulebook/goods.toml");
    folder.put("rulebook/goods.toml", "rulebook = 1\n[");
    std::thread::sleep(Duration::from_millis(600));
    // while it cannot be read, nothing of before is told
    folder.put("mods/smoke-and-salt/goods/many-1.json", "{}\n");
    std::thread::sleep(Duration::from_millis(600));
    for nth in 0..200 {
        std::fs::remove_file(folder.file(&format!("mods/smoke-and-salt/goods/many-{nth}.json"))).unwrap();
    }
    folder.put("rulebook/goods.toml", &rulebook);
    let told = watch.until("as it was", |told| number(told, "warnings") == 0);
    assert_eq!(number(&told, "errors"), 0);
}
