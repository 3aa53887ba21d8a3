//! `adopt`: a copy of the base that was edited in place becomes a mod that states only the differences.
use crate::common::Folder;

/// A copy of an example's base with some words put in the place of others.
fn edited(folder: &Folder, edits: &[(&str, &str, &str)]) {
    for (path, bytes) in folder.all("base") {
        let to = folder.file(&format!("copy/{path}"));
        std::fs::create_dir_all(to.parent().unwrap()).unwrap();
        std::fs::write(to, bytes).unwrap();
    }
    for (path, old, new) in edits {
        let text = folder.read(&format!("copy/{path}"));
        assert!(text.contains(old), "{path}: {old}");
        folder.put(&format!("copy/{path}"), &text.replacen(old, new, 1));
    }
}

#[test]
fn what_a_copy_changes_is_stated_and_shows() {
    for (game, edits, changed) in [
        (
            "peatlight",
            vec![
                ("goods/fuel.json", "\"value\": 12", "\"value\": 13"),
                ("goods/craft.json", "\"craft\", \"fuel\"", "\"craft\", \"fuel\", \"light\""),
                ("texts/names.csv", "Ale,", "Small ale,"),
            ],
            vec!["item/beeswax", "item/lamp-oil"],
        ),
        ("kilnyard", vec![("data/wares.xml", "<price>6</price>", "<price>7</price>")], vec!["ware/pot"]),
    ] {
        let folder = Folder::example(game);
        assert_eq!(folder.run(&["mods", "new", "mine"]).code, 0);
        edited(&folder, &edits);
        let (base, copy, before) = (folder.all("base"), folder.all("copy"), folder.all("mods"));
        let dry = folder.run(&["adopt", "copy", "--dry-run", "--format", "json"]);
        assert_eq!((dry.code, folder.all("mods") == before), (0, true), "{game}: {}", dry.err);
        let run = folder.run(&["adopt", "copy", "--format", "json"]);
        assert_eq!(run.code, 0, "{game}: {}", run.err);
        let said = run.json();
        let mut found: Vec<&str> = said["changed"].as_array().unwrap().iter().map(|at| at.as_str().unwrap()).collect();
        found.sort_unstable();
        assert_eq!(found, changed, "{game}");
        assert_eq!((&said["left"], &said["gone"]), (&serde_json::json!([]), &serde_json::json!([])), "{game}");
        assert_eq!((folder.all("base"), folder.all("copy")), (base, copy), "{game}");
        let check = folder.run(&["check", "--mod", "mine", "--format", "json"]).json();
        assert_eq!(check["errors"], 0, "{game}: {check}");
        let again = folder.run(&["adopt", "copy"]);
        assert!(again.out.starts_with("the copy says what the base says") || again.out.is_empty(), "{}", again.out);
        assert_eq!(folder.run(&["undo"]).code, 0);
        assert_eq!(folder.all("mods"), before, "{game}");
    }
}

#[test]
fn what_cannot_be_told_is_listed() {
    let folder = Folder::demo();
    folder.run(&["mods", "new", "mine"]);
    edited(
        &folder,
        &[
            ("goods/craft.json", "    \"burn_minutes\": 60,\n", ""),
            ("goods/fuel.json", "\"value\": 12", "\"value\": 13"),
        ],
    );
    folder.put("copy/remarks.txt", "mine\n");
    std::fs::remove_file(folder.file("copy/crafts/bench.json")).unwrap();
    let run = folder.run(&["adopt", "copy"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(
        run.out.contains("not told: item/beeswax would show otherwise than in the copy: this kind merges"),
        "{}",
        run.out
    );
    assert!(run.out.contains("not told: the copy no longer has recipe/"), "{}", run.out);
    assert!(run.out.contains("to be taken by hand: remarks.txt"), "{}", run.out);
    assert_eq!(folder.read("mods/mine/amendments/item.toml").matches("[[amend]]").count(), 1);
    for (line, code, said) in [
        (&["adopt", "base"][..], 2, "the base itself"),
        (&["adopt", "nosuch"], 3, "there is no folder or archive"),
        (&["adopt"], 2, "<DIR>"),
    ] {
        let run = folder.run(line);
        assert!(run.code == code && run.err.contains(said), "{line:?}: {}", run.err);
    }
}

#[test]
fn what_a_copy_no_longer_has_is_taken_away() {
    let folder = Folder::empty();
    folder
        .put("cognomen.toml", "cognomen = 1\nrulebook = \"r.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"m\"\n");
    folder.put(
        "r.toml",
        "rulebook = 1\n[manifest]\nfile = \"about.xml\"\nid = \"about.id\"\n[[where]]\nfiles = \"birds.xml\"\ncut = \"all.bird[]\"\nkind = \"bird\"\n\
         [kinds.bird]\nname = \"@id\"\nagain = \"merge\"\nremoves = { gone = \"yes\" }\n[kinds.bird.fields]\n\"weight\" = { type = \"integer\" }\n\"gone\" = { type = \"text\", optional = true }\n",
    );
    folder.put("mods/m/about.xml", "<about><id>m</id></about>\n");
    let coot = "  <bird id=\"coot\"><weight>3</weight></bird>\n";
    folder.put("base/birds.xml", &format!("<all>\n{coot}  <bird id=\"heron\"><weight>9</weight></bird>\n</all>\n"));
    edited(&folder, &[("birds.xml", coot, ""), ("birds.xml", ">9<", ">8<")]);
    let told = folder.run(&["adopt", "copy", "--format", "json"]).json();
    assert_eq!(told["taken_away"], serde_json::json!(["bird/coot"]), "{told:#}");
    assert_eq!((&told["gone"], &told["left"]), (&serde_json::json!([]), &serde_json::json!([])));
    assert_eq!(folder.run(&["check"]).code, 0);
    assert_eq!(folder.run(&["build"]).code, 0);
    std::fs::remove_dir_all(folder.file("mods/m")).unwrap();
    std::fs::rename(folder.file("build/m"), folder.file("mods/m")).unwrap();
    let gone = folder.run(&["show", "bird/coot"]);
    assert!(gone.code == 3 && gone.err.contains("`m` takes `bird/coot` away"), "{gone:?}");
    assert!(folder.run(&["show", "bird/heron"]).out.contains("8"));
}
