//! Files that follow from definitions: `build` writes them, `check` tells those that are out of date.
use crate::common::Folder;

fn weirs(derived: &str) -> Folder {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"weir\"\n",
    );
    folder.put(
        "rulebook.toml",
        &format!(
            "rulebook = 1\n[game]\nname = \"Weirs\"\n[manifest]\nfile = \"mod.json\"\nid = \"id\"\n\
             [[where]]\nfiles = \"fish/**/*.json\"\ncut = \"{{}}\"\nkind = \"fish\"\n\
             [kinds.fish]\nagain = \"merge\"\n[kinds.fish.fields]\n\"price\" = {{ type = \"integer\", default = 1 }}\n\"rank\" = {{ type = \"integer\", optional = true }}\n\
             [[derived]]\n{derived}\n"
        ),
    );
    folder.put("base/fish/all.json", "{ \"eel\": { \"price\": 4, \"rank\": 9 }, \"pike\": { \"rank\": 10 } }\n");
    folder.put("mods/weir/mod.json", "{ \"id\": \"weir\" }\n");
    folder.put(
        "mods/weir/fish/still/own.json",
        "{ \"bream\": { \"price\": 3, \"rank\": 11 }, \"smelt\": { \"rank\": 2 } }\n",
    );
    folder.put("mods/weir/fish/fast/own.json", "{ \"trout\": { \"price\": 5 }, \"eel\": { \"price\": 6 } }\n");
    folder
}

#[test]
fn builds_write_what_follows_from_definitions() {
    for (derived, path, text) in [
        (
            "file = \"index.txt\"\nof = \"fish\"\nline = \"{id}\"\nhead = \"# fish\"",
            "index.txt",
            "# fish\nbream\neel\nsmelt\ntrout\n",
        ),
        (
            "file = \"index.txt\"\nof = \"fish\"\nline = \"{id} = {price}\"\nwhere = \"price > 1\"",
            "index.txt",
            "bream = 3\neel = 6\ntrout = 5\n",
        ),
        (
            "file = \"all.csv\"\nof = \"fish\"\nline = \"{id},{rank}\"\nhead = \"id,rank\"\nby = \"rank\"\nwhole = true",
            "all.csv",
            "id,rank\ntrout,\nsmelt,2\neel,9\npike,10\nbream,11\n",
        ),
        (
            "file = \"n.json\"\nof = \"fish\"\nline = \"{price}\"\nkey = \"{id}\"\nformat = \"json\"",
            "n.json",
            "{\n  \"bream\": 3,\n  \"eel\": 6,\n  \"smelt\": 1,\n  \"trout\": 5\n}\n",
        ),
        (
            "file = \"n.json\"\nof = \"fish\"\nline = \"{id}\"\nformat = \"json\"",
            "n.json",
            "[\n  \"bream\",\n  \"eel\",\n  \"smelt\",\n  \"trout\"\n]\n",
        ),
        (
            "file = \"{folder}/list.txt\"\nof = \"fish\"\nline = \"{kind}:{id}\"",
            "fish/fast/list.txt",
            "fish:eel\nfish:trout\n",
        ),
    ] {
        let folder = weirs(derived);
        assert_eq!(folder.run(&["check"]).code, 0, "{derived}: {}", folder.run(&["check"]).out);
        let run = folder.run(&["build"]);
        assert_eq!(run.code, 0, "{derived}: {}", run.err);
        assert_eq!(folder.read(&format!("build/weir/{path}")), text, "{derived}");
        // a stale one of the mod's own is told, and no build ships it
        folder.put(&format!("mods/weir/{path}"), "carp\n");
        let check = folder.run(&["check", "--format", "json"]).json();
        let codes: Vec<&str> =
            check["findings"].as_array().unwrap().iter().map(|one| one["code"].as_str().unwrap()).collect();
        assert_eq!(codes, ["derived-stale"], "{derived}: {check}");
        assert_eq!(folder.run(&["build"]).code, 1);
        assert_eq!(folder.read(&format!("build/weir/{path}")), text, "{derived}");
        // mended where it stands, its line ends kept
        folder.put(&format!("mods/weir/{path}"), "carp\r\n");
        let fixed = folder.run(&["check", "--fix"]);
        assert_eq!(fixed.code, 0, "{derived}: {fixed:?}");
        assert_eq!(folder.read(&format!("mods/weir/{path}")), text.replace('\n', "\r\n"), "{derived}");
        // one that is as it should be is well
        folder.put(&format!("mods/weir/{path}"), &text.replace('\n', "\r\n"));
        assert_eq!(
            folder.run(&["check"]).out.lines().next().map(|line| line.starts_with("no findings")),
            Some(true),
            "{derived}"
        );
    }
}

#[test]
fn archives_hold_them_too() {
    let folder = weirs("file = \"index.txt\"\nof = \"fish\"\nline = \"{id}\"");
    let run = folder.run(&["pack"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("  index.txt\n"), "{}", run.out);
}
