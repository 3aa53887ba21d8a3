//! The small games in other notations: their clean mods give no finding, their faulty mods exactly those of
//! the table in the game's README, and every command works on them as on the demo.

mod common;

use common::{Folder, Run, given_findings, listed_findings};

/// Runs a command line that must succeed, and gives back what it said.
fn done(folder: &Folder, line: &[&str]) -> String {
    let run: Run = folder.run(line);
    assert_eq!(run.code, 0, "{line:?}\n{run:?}");
    // nothing but the next step
    assert!(run.err.lines().all(|line| line.starts_with("next: ")), "{line:?}\n{run:?}");
    run.out
}

fn faulty_mod_gives_the_findings_of_the_table(game: &str, id: &str) {
    let folder = Folder::example(game);
    let wanted = listed_findings(&folder.read("README.md"));
    let run = folder.run(&["check", "--mod", id, "--format", "json"]);
    assert_eq!((run.code, run.err.as_str()), (1, ""));
    assert_eq!(given_findings(&run, id), wanted, "{game}");
    assert!(wanted.len() >= 10);
    // the rest of the game gives none
    assert_eq!(given_findings(&folder.run(&["check", "--format", "json"]), id), wanted, "{game}");
}

#[test]
fn each_game_is_clean_but_for_its_faulty_mod() {
    for (game, faulty) in
        [("kilnyard", "cracked"), ("mulepost", "lost-mail"), ("sporehall", "mildew"), ("wrackline", "flotsam")]
    {
        faulty_mod_gives_the_findings_of_the_table(game, faulty);
    }
}

#[test]
fn xml_is_changed_copied_made_and_built_in_the_games_own_forms() {
    let folder = Folder::example("kilnyard");
    done(&folder, &["set", "ware/lustre-bowl", "price=52", "glaze+=ash", "story=Suds & sun"]);
    done(&folder, &["copy", "ware/tea-bowl", "ember-bowl", "price=30"]);
    done(
        &folder,
        &["new", "clay/gault", "name=Gault", "plasticity=3", "shrinks=0.1", "found.where=beach", "found.days=1"],
    );
    let text = folder.read("mods/second-firing/data/lustre.xml");
    for part in [
        "<glaze>lustre</glaze>\n      <glaze>ash</glaze>\n      <price>52</price>\n      <story>Suds &amp; sun</story>\n",
        "    <ware based-on=\"tea-bowl\">\n      <id>ember-bowl</id>\n      <price>30</price>\n    </ware>\n",
        "  <clays>\n    <clay>\n      <id>gault</id>\n",
        "      <found where=\"beach\" days=\"1\"/>\n",
        "<!-- The one thing the bath-house would pay for twice. -->",
    ] {
        assert!(text.contains(part), "{part}\n---\n{text}");
    }
    done(&folder, &["check", "--mod", "second-firing"]);
    done(&folder, &["build"]);
    let built = folder.read("build/second-firing/data/second-firing-changes.xml");
    assert!(
        built.contains(
            "<kilns>\n    <kiln heat=\"1060\" holds=\"16\" fuel=\"charcoal\"><id>muffle</id><slow/></kiln>\n"
        ),
        "{built}"
    );
    assert!(
        built.contains("<buyers>\n    <buyer>\n      <id>bath-house</id>\n      <wants ware=\"wash-bowl\""),
        "{built}"
    );
    let shown = done(&folder, &["show", "ware/toby-jug"]);
    assert!(shown.contains("honey, raven") && shown.contains("base/data/wares.xml:36"), "{shown}");
}

#[test]
fn yaml_is_changed_in_its_own_style_and_never_through_an_alias() {
    let folder = Folder::example("mulepost");
    done(&folder, &["set", "hut/huts/high/lantern", "beds=3", "serves+=soup", "note=Dark."]);
    assert_eq!(
        folder.read("mods/night-post/huts/high/lantern.yaml"),
        "name: Lantern hut\nheight: 2050\nbeds: 3\nserves: [tea, soup]\nnote: Dark.\n"
    );
    let route = "mods/night-post/routes/lantern-walk.yaml";
    let before = folder.read(route);
    let refused = folder.run(&["set", "route/routes/lantern-walk", "weather.rain.slower=2"]);
    assert_eq!((refused.code, refused.out.as_str()), (3, ""));
    assert!(refused.err.contains("stands at the anchor `&dark` in line 6"), "{}", refused.err);
    assert!(refused.err.contains("--at-anchor"), "{}", refused.err);
    assert_eq!(folder.read(route), before);
    // asked for, it is changed where it stands, and so for both
    done(&folder, &["set", "route/routes/lantern-walk", "weather.rain.slower=2", "--at-anchor"]);
    assert!(folder.read(route).contains("fog: &dark\n    slower: 2\n"), "{}", folder.read(route));
    let shown = done(&folder, &["show", "route/routes/lantern-walk"]);
    let slower: Vec<&str> = shown.lines().filter(|line| line.contains(".slower")).collect();
    assert!(slower.len() == 3 && slower.iter().all(|line| line.contains("  2  ")), "{shown}");
    done(&folder, &["set", "route/routes/lantern-walk", "weather.fog.slower=2.5"]);
    assert!(folder.read(route).contains("fog: &dark\n    slower: 2.5\n"));
    done(&folder, &["build"]);
    assert_eq!(folder.read("build/night-post/mules/thunder.yaml"), "mood: steady\nfears: [water, dogs, bats]\n");
    let shown = done(&folder, &["show", "route/routes/lantern-walk"]);
    assert!(shown.contains("lantern-walk.yaml:7"), "an alias shows where its anchor stands\n{shown}");
}

#[test]
fn a_base_in_an_archive_is_found_shown_and_changed_by_mods_in_described_text_and_tables() {
    let folder = Folder::example("sporehall");
    let found = done(&folder, &["find", "bishop"]);
    assert!(found.contains("spore/bishop"), "{found}");
    let shown = done(&folder, &["show", "shelf/shelves/far/cold"]);
    assert!(shown.contains("base.zip/shelves/far/north.txt:2"), "{shown}");
    done(&folder, &["set", "spore/frost-ear", "price=13", "likes+=damp"]);
    assert!(
        folder
            .read("mods/winter-guests/spores/frost.txt")
            .contains("Likes = cold, old wood, damp\nColor = white\nPrice = 13\nCures = (")
    );
    done(&folder, &["new", "order/102", "guest=owl", "spore=frost-ear", "many=1", "note=a; b"]);
    assert!(folder.read("mods/winter-guests/tables/orders-winter.csv").ends_with("\n102;owl;frost-ear;1;\"a; b\"\n"));
    done(&folder, &["build"]);
    assert_eq!(
        folder.read("build/winter-guests/spores/winter-guests-changes.txt"),
        "; For the long shelf.\r\n\r\n[spore bishop]\r\nLikes = iron, dry, cold\r\nPrice = 60\r\n"
    );
    assert!(
        folder
            .read("build/winter-guests/tables/guests-winter-guests-changes.csv")
            .ends_with("\nnobody;Nobody in particular;pie;1\n")
    );
}

#[test]
fn several_parts_of_a_base_and_a_packed_mod_are_layers_that_are_only_read() {
    let folder = Folder::example("sporehall");
    let zip = std::fs::read(folder.file("base.zip")).unwrap();
    folder.put("more/spores/isles.txt", "[spore bishop]\nprice = 44\n\n[spore reef-ear]\nName = Reef ear\nDays = 2\nLikes = damp\nColor = red\nPrice = 3\n");
    folder.put("cognomen.toml", &folder.read("cognomen.toml").replace("\"base.zip\"", "[\"base.zip\", \"more\"]"));
    let shown = done(&folder, &["show", "spore/reef-ear"]);
    assert!(shown.contains("defined by more"), "{shown}");
    let shown = done(&folder, &["show", "spore/bishop"]);
    assert!(shown.contains("66 pennies") && shown.contains("was 44"), "amended upon both parts of the base\n{shown}");
    done(&folder, &["check", "--mod", "winter-guests"]);
    assert_eq!(std::fs::read(folder.file("base.zip")).unwrap(), zip);
    let refused = folder.run(&["set", "spore/reef-ear", "price=4", "--mod", "more"]);
    assert_eq!(refused.code, 3);
    assert!(refused.err.contains("never written to"), "{}", refused.err);
}

#[test]
fn a_mod_packed_as_an_archive_is_a_layer_that_is_only_read() {
    let folder = Folder::example("mulepost");
    // as many packers do: one folder with everything in it
    let paths = ["mod.yaml", "huts/high/lantern.yaml", "routes/lantern-walk.yaml", "amendments/night.yaml"];
    let members = paths.map(|path| (format!("night-post/{path}"), format!("mods/night-post/{path}")));
    let members: Vec<(&str, &str)> = members.iter().map(|(name, from)| (name.as_str(), from.as_str())).collect();
    folder.zip("mods/night-post.zip", &members);
    std::fs::remove_dir_all(folder.file("mods/night-post")).unwrap();
    let shown = done(&folder, &["show", "hut/huts/high/lantern"]);
    assert!(shown.contains("mods/night-post.zip/night-post/huts/high/lantern.yaml:2"), "{shown}");
    assert!(done(&folder, &["show", "mule/mules/thunder"]).contains("steady"));
    let refused = folder.run(&["set", "hut/huts/high/lantern", "beds=3"]);
    assert_eq!((refused.code, refused.out.as_str()), (3, ""));
    assert!(refused.err.contains("is an archive, which is only read"), "{}", refused.err);
}

#[test]
fn definitions_between_two_marks_of_another_file_are_read_and_changed_there() {
    let folder = Folder::empty();
    folder.put(
        "cognomen.toml",
        "cognomen = 1\nrulebook = \"rulebook.toml\"\nbase = \"base\"\nmods = \"mods\"\nedit = \"own\"\n",
    );
    folder.put(
        "rulebook.toml",
        "rulebook = 1\n[game]\nname = \"Bells\"\n[manifest]\nfile = \"mod.toml\"\nid = \"id\"\n\n[notations.data]\nformat = \"yaml\"\nblock = [\"--data\", \"--end\"]\n\n[[where]]\nfiles = \"*.script\"\nnotation = \"data\"\ncut = \"{}\"\nkind = \"bell\"\n\n[kinds.bell]\nagain = \"merge\"\n[kinds.bell.fields]\n\"tone\" = { type = \"integer\", min = 1, max = 9 }\n",
    );
    folder.put("base/a.script", "ring(1)\n");
    folder.put("base/b.script", "ring(2)\n--data\nold: {tone: 3}\n--end\nring(3)\n");
    folder.put("mods/own/mod.toml", "id = \"own\"\n");
    let script = "ring(4)\r\n--data\r\nnew:\r\n  tone: 12  # high\r\n--end\r\nring(5)\r\n";
    folder.put("mods/own/c.script", script);
    let run = folder.run(&["check", "--format", "json"]);
    assert_eq!(given_findings(&run, "own"), [("out-of-range".to_owned(), "c.script:4".to_owned())]);
    done(&folder, &["set", "bell/new", "tone=7"]);
    assert_eq!(folder.read("mods/own/c.script"), script.replace("12", "7"));
    assert_eq!(folder.run(&["check"]).code, 0);
}

#[test]
fn aliases_that_multiply_are_a_finding_and_take_no_time() {
    let folder = Folder::example("mulepost");
    let mut bomb = String::from("a0: &a0 [x, x, x, x, x, x, x, x, x, x]\n");
    for n in 1..12 {
        bomb.push_str(&format!("a{n}: &a{n} [{}]\n", vec![format!("*a{}", n - 1); 10].join(", ")));
    }
    folder.put("mods/night-post/mules/bomb.yaml", &bomb);
    let run = folder.run(&["check", "--mod", "night-post", "--code", "file-broken"]);
    assert_eq!(run.code, 1, "{run:?}");
    assert!(run.out.contains("the aliases of this file expand to more than 1000000 nodes"), "{}", run.out);
}

#[test]
fn a_sheet_of_a_workbook_is_changed_cell_by_cell() {
    let folder = Folder::example("sporehall");
    let book = "mods/winter-guests/tables/remedies-winter.xlsx";
    let parts = |folder: &Folder| -> std::collections::BTreeMap<String, Vec<u8>> {
        let mut zip = zip::ZipArchive::new(std::fs::File::open(folder.file(book)).unwrap()).unwrap();
        let all = 0..zip.len();
        let read = |at: usize| {
            let mut part = zip.by_index(at).unwrap();
            let mut bytes = Vec::new();
            std::io::Read::read_to_end(&mut part, &mut bytes).unwrap();
            (part.name().unwrap().to_string(), bytes)
        };
        all.map(read).collect()
    };
    let first = parts(&folder);
    let said = done(&folder, &["set", "remedy/frost-drops", "price=33", "name=Frosty, drops"]);
    assert!(said.contains("price: 30 → 33") && said.contains(&format!("{book}/Remedies")), "{said}");
    let second = parts(&folder);
    let changed: Vec<&str> =
        first.iter().filter(|(name, bytes)| second[*name] != **bytes).map(|(name, _)| name.as_str()).collect();
    assert_eq!((changed, first.len()), (vec!["xl/worksheets/sheet1.xml"], second.len()));
    assert!(done(&folder, &["show", "remedy/frost-drops", "--format", "json"]).contains("Frosty, drops"));
    // a formula stays, unless told, and comes back
    for line in [&["set", "remedy/frost-drops", "gain=3"][..], &["set", "remedy/frost-drops", "gain=3", "--dry-run"]] {
        let run = folder.run(line);
        assert_eq!(run.code, 3, "{run:?}");
        assert!(run.err.contains("G4 of") && run.err.contains("--over-formula"), "{run:?}");
    }
    assert_eq!(parts(&folder), second);
    done(&folder, &["set", "remedy/frost-drops", "gain=3", "--over-formula"]);
    assert!(!String::from_utf8_lossy(&parts(&folder)["xl/worksheets/sheet1.xml"]).contains("F4/D4"));
    done(&folder, &["undo"]);
    assert_eq!(parts(&folder), second);
    done(&folder, &["redo"]);
    assert!(!String::from_utf8_lossy(&parts(&folder)["xl/worksheets/sheet1.xml"]).contains("F4/D4"));
    done(&folder, &["undo"]);
    // rows come at the end, and leave a blank row behind
    done(&folder, &["copy", "remedy/ink-wash", "frost-wash"]);
    done(&folder, &["new", "remedy/snow-salve", "name=Snow salve", "spore=frost-ear", "pinches=2", "price=7"]);
    done(&folder, &["set", "remedy/lamp-balm", "price=22"]);
    done(&folder, &["check", "--mod", "winter-guests"]);
    for (id, cell) in [("frost-wash", "A6"), ("snow-salve", "A7")] {
        let found = done(&folder, &["find", id, "--kind", "remedy"]);
        assert!(found.contains(&format!("{book}/Remedies:{cell}")), "{found}");
    }
    // a build writes the workbook, and the amended row in a new one like the base's
    done(&folder, &["build"]);
    assert!(folder.file("build/winter-guests/tables/remedies-winter.xlsx").is_file());
    let built = folder.file("build/winter-guests");
    std::fs::rename(built, folder.file("mods/built")).unwrap();
    folder.put("mods/built/mod.toml", "id = \"built\"\ntitle = \"Built\"\n");
    let shown = done(&folder, &["show", "remedy/lamp-balm", "--format", "json"]);
    assert!(shown.contains("remedies-winter-guests-changes.xlsx/Remedies") && shown.contains("22"), "{shown}");
    // an unreadable one is said
    folder.put("mods/winter-guests/tables/remedies-torn.xlsx", "PK no more");
    let run = folder.run(&["check", "--mod", "winter-guests"]);
    assert!(run.out.contains("`mods/winter-guests/tables/remedies-torn.xlsx` is no workbook"), "{run:?}");
}

#[test]
fn notations_that_games_invent_are_changed_and_built_as_the_game_writes_them() {
    let folder = Folder::example("wrackline");
    // a change that stands there is changed further, or goes where the value itself is said
    let refused = folder.run(&["set", "find/amber", "price*=2"]);
    assert_eq!((refused.code, refused.out.as_str()), (3, ""));
    assert!(refused.err.contains("`more.price` changes it in the same definition"), "{}", refused.err);
    let as_it_was = folder.read("mods/lost-bells/finds/bells.json");
    let told = done(&folder, &["set", "find/amber", "price+=2"]);
    assert!(told.contains("find/amber price: 45 → 47"), "{told}");
    assert_eq!(folder.read("mods/lost-bells/finds/bells.json"), as_it_was.replace("\"price\": 5", "\"price\": 7"));
    let told = done(&folder, &["set", "find/amber", "price=77"]);
    assert!(told.contains("find/amber price: 47 → 77"), "{told}");
    let stated = folder.read("mods/lost-bells/finds/bells.json");
    assert!(stated.contains("\"price\": 77") && !stated.contains("\"more\""), "{stated}");
    done(&folder, &["undo"]);
    done(&folder, &["set", "find/cork", "marks+=old"]);
    done(&folder, &["set", "find/drift", "marks-=wet", "floats=false", "weight:=[2,5]"]);
    done(&folder, &["set", "stall/quay", "open=12"]);
    done(&folder, &["new", "find/star", "name=Star", "price=3"]);
    done(&folder, &["check", "--mod", "lost-bells"]);
    done(&folder, &["build"]);
    let built = folder.read("build/lost-bells/finds/lost-bells-changes.json");
    for part in ["\"marks\": \"+old\"", "\"marks\": \"-wet\"", "\"floats\": \"nay\"", "\"weight\": \"2-5\""] {
        assert!(built.contains(part), "{part}\n{built}");
    }
    assert!(folder.read("build/lost-bells/scripts/ring.lua").contains("ship-bell"));
    assert!(folder.read("build/lost-bells/finds/bells.json").contains("\"is\": \"thing\""));
    let shown = done(&folder, &["show", "stall/boat"]);
    assert!(shown.contains("(taken away)") && shown.contains("was of sailcloth"), "{shown}");
    let shown = done(&folder, &["show", "find/oar"]);
    assert!(shown.contains("inherits from find/drift, find/stick"), "{shown}");
    let used = done(&folder, &["links", "find/moon-jelly"]);
    assert!(used.contains("scripts/spring.lua"), "{used}");
    let used = done(&folder, &["links", "thing.cork"]);
    assert!(used.contains("find/cork"), "{used}");
}
