//! `sheet`: a kind as a table, and back as changes of the mod.
use crate::common::Folder;

#[test]
fn what_goes_out_and_comes_back_changes_no_byte() {
    for (game, layer) in [
        ("peatlight", "first-steps"),
        ("kilnyard", "second-firing"),
        ("mulepost", "night-post"),
        ("sporehall", ""),
        ("wrackline", ""),
    ] {
        let folder = Folder::example(game);
        let mods = folder.run(&["mods", "--format", "json"]).json();
        let first = mods["mods"].as_array().unwrap().last().unwrap()["id"].as_str().unwrap().to_owned();
        let layer = if layer.is_empty() { first.as_str() } else { layer };
        let kinds = folder.run(&["kinds", "--format", "json"]).json();
        let before = folder.all("mods");
        for (at, kind) in kinds["kinds"].as_array().unwrap().iter().enumerate() {
            let kind = kind["kind"].as_str().unwrap();
            let ending = ["csv", "xlsx", "tsv"][at % 3];
            let file = format!("{kind}.{ending}");
            let out = folder.run(&["sheet", "out", &file, "--kind", kind, "--mod", layer]);
            if out.err.contains("there is no such") {
                continue;
            }
            assert_eq!(out.code, 0, "{game} {kind}: {}", out.err);
            let back = folder.run(&["sheet", "in", &file, "--mod", layer]);
            assert_eq!(back.code, 0, "{game} {file}: {}", back.err);
            let said = "the table says what stands already; nothing was written\n";
            assert_eq!((back.out.as_str(), back.err.as_str()), (said, ""), "{game} {file}");
        }
        assert_eq!(folder.all("mods"), before, "{game}");
    }
}

/// The demo with some items in a table.
fn fuel(ending: &str) -> (Folder, String) {
    let folder = Folder::demo();
    let file = format!("fuel.{ending}");
    let line = ["sheet", "out", &file, "--kind", "item", "--tagged", "fuel", "--fields", "value,tags,burn_minutes"];
    let out = folder.run(&[&line[..], &["--mod", "long-night"]].concat());
    assert_eq!(out.code, 0, "{}", out.err);
    (folder, file)
}

#[test]
fn changed_cells_become_changes() {
    let (folder, file) = fuel("csv");
    let before = folder.all("mods");
    let table = folder.read(&file);
    let line = table.lines().find(|line| line.starts_with("beeswax,")).unwrap();
    assert_eq!(line, "beeswax,Beeswax,11,\"craft, fuel\",60");
    // as a spreadsheet of another country saves it
    let changed = table.replace(line, "beeswax,Beeswax,10,\"fuel\",61");
    let mut rows = csv::ReaderBuilder::new().has_headers(false).from_reader(changed.as_bytes());
    let mut other = csv::WriterBuilder::new().delimiter(b';').terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    rows.records().for_each(|row| other.write_record(&row.unwrap()).unwrap());
    folder.put(&file, &format!("\u{feff}{}", String::from_utf8(other.into_inner().unwrap()).unwrap()));
    let line = ["sheet", "in", &file, "--mod", "long-night"];
    let dry = folder.run(&[&line[..], &["--dry-run"]].concat());
    assert!(dry.out.contains("beeswax  value         11 → 10\n"), "{}{}", dry.out, dry.err);
    assert_eq!(folder.all("mods"), before);
    let run = folder.run(&line);
    assert_eq!(run.code, 0, "{}", run.err);
    let shown = folder.run(&["show", "item/beeswax", "--mod", "long-night", "--format", "json"]).json();
    let value = |path: &str| {
        let rows = shown["values"].as_array().unwrap();
        rows.iter().find(|row| row["path"] == path).map(|row| row["value"].clone())
    };
    assert_eq!(value("value"), Some(10.into()), "{shown}");
    assert_eq!(value("tags"), Some(serde_json::json!(["fuel"])));
    assert_eq!(value("burn_minutes"), Some(61.into()));
    let again = folder.run(&line);
    assert!(again.out.starts_with("the table says what stands already"), "{}{}", again.out, again.err);
    assert_eq!(folder.run(&["undo"]).code, 0);
    assert_eq!(folder.all("mods"), before);
}

#[test]
fn what_changed_meanwhile_is_told_and_left() {
    let (folder, file) = fuel("csv");
    let set = |value: &str, id: &str| folder.run(&["set", id, &format!("value={value}"), "--mod", "long-night"]);
    assert_eq!(set("13", "item/beeswax").code, 0);
    assert_eq!(set("14", "item/lamp-oil").code, 0);
    let table = folder.read(&file);
    let oil = table.lines().find(|line| line.starts_with("lamp-oil,")).unwrap();
    let cells: Vec<&str> = oil.splitn(4, ',').collect();
    let wanted = format!("{},{},20,{}", cells[0], cells[1], cells[3]);
    folder.put(&file, &table.replace(oil, &wanted));
    let line = ["sheet", "in", &file, "--mod", "long-night"];
    let run = folder.run(&line);
    assert_eq!(run.code, 0, "{}", run.err);
    let said = format!("lamp-oil value: was {}, is 14 now, the table has 20; left alone", cells[2]);
    assert!(run.err.contains(&said), "{}", run.err);
    assert!(!run.err.contains("beeswax") && !run.out.contains("beeswax"), "{}{}", run.out, run.err);
    let run = folder.run(&[&line[..], &["--over"]].concat());
    assert!(run.out.contains("lamp-oil  value  14 → 20"), "{}{}", run.out, run.err);
}

#[test]
fn new_rows_are_new_definitions_and_lost_ones_stay() {
    let (folder, file) = fuel("xlsx");
    let csv = "fuel.csv";
    folder.run(&[
        "sheet",
        "out",
        csv,
        "--kind",
        "item",
        "--own",
        "--fields",
        "value,weight,stack,tags",
        "--mod",
        "first-steps",
    ]);
    assert!(folder.file(&file).exists());
    let table = folder.read(csv);
    let lost = table.lines().nth(2).unwrap().split(',').next().unwrap().to_owned();
    let kept: Vec<&str> = table.lines().filter(|line| !line.starts_with(&format!("{lost},"))).collect();
    folder.put(csv, &format!("{}\nfen-candle,,4,0.5,9,fuel\n", kept.join("\n")));
    let run = folder.run(&["sheet", "in", csv, "--mod", "first-steps"]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.contains("new fen-candle"), "{}", run.out);
    assert!(run.err.contains(&format!("cognomen delete item/{lost}")), "{}", run.err);
    assert!(folder.run(&["show", "item/fen-candle"]).out.contains("first-steps"));
    assert_eq!(folder.run(&["show", &format!("item/{lost}")]).code, 0);
    // an emptied cell takes the value back
    let table = folder.read(csv);
    folder.put(csv, &table.replace("fen-candle,,4,0.5,9,fuel", "fen-candle,,4,0.5,,fuel"));
    let run = folder.run(&["sheet", "in", csv, "--mod", "first-steps"]);
    assert!(run.out.starts_with("fen-candle  stack  9 → nothing\n"), "{}{}", run.out, run.err);
}

#[test]
fn a_table_of_somebody_else_is_joined() {
    let folder = Folder::demo();
    folder.put("prices.csv", "Ware;Price;Remark\nBeeswax;17;\nLamp oil;;dear\nMoon oil;4;\n");
    let line = ["sheet", "in", "prices.csv", "--kind", "item", "--by", "(name)=Ware", "--take", "value=Price"];
    let run = folder.run(&[&line[..], &["--mod", "long-night"]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    assert!(run.out.starts_with("beeswax  value  11 → 17\n"), "{}", run.out);
    assert!(run.err.contains("`Moon oil` is nothing that is known"), "{}", run.err);
    assert!(!run.out.contains("lamp-oil"), "{}", run.out);
}

#[test]
fn what_is_wrong_in_a_table_is_said_and_nothing_is_written() {
    let folder = Folder::demo();
    let before = folder.all("");
    for (table, said) in [
        ("id,value\neel,4\n", "not the name of a kind and a slash"),
        ("itm/,value\neel,4\n", "the nearest one is `item`"),
        ("item/,valeu\neel,4\n", "the nearest known field is `value`"),
        ("item/,value\neel,many\n", "`item/eel`: `value` takes a whole number"),
        ("item/,value\neel,9999\n", "`item/eel`: `value` takes a whole number from 0 to 500"),
        ("item/,tags\neel,\"food, fule\"\n", "the nearest known one is `fuel`"),
        ("item/,value,value\neel,4,5\n", "two columns `value`"),
        ("item/,value\neel,4\neel,5\n", "`eel` has two rows"),
        ("item/,value\nFen Eel,4\n", "ids look like"),
        ("", "is empty"),
    ] {
        folder.put("t.csv", table);
        let run = folder.run(&["sheet", "in", "t.csv", "--mod", "long-night"]);
        assert_eq!(run.code, 3, "{table}: {}", run.out);
        assert!(run.err.contains(said), "{table}: {}", run.err);
        std::fs::remove_file(folder.file("t.csv")).unwrap();
        assert_eq!(folder.all(""), before, "{table}");
    }
    for (line, code, said) in [
        (&["sheet", "out", "t.ods", "--kind", "item"][..], 2, ".xlsx"),
        (&["sheet", "out", "base/t.csv", "--kind", "item"], 3, "never written to"),
        (&["sheet", "out", "t.csv", "--kind", "itm"], 3, "`item`"),
        (&["sheet", "out", "t.csv", "--kind", "item", "--fields", "value,wieght"], 3, "`weight`"),
        (&["sheet", "out", "t.csv", "--kind", "item", "--where", "value = 3"], 2, "=="),
        (&["sheet", "out", "t.csv", "--kind", "item", "--where", "value > 400"], 3, "there is no such item"),
    ] {
        let run = folder.run(&[line, &["--mod", "long-night"]].concat());
        assert_eq!(run.code, code, "{line:?}: {}{}", run.out, run.err);
        assert!(run.err.contains(said), "{line:?}: {}", run.err);
        assert_eq!(folder.all(""), before, "{line:?}");
    }
}

/// A list goes out with one column for each entry, and comes back as what is left of them.
#[test]
fn a_list_has_one_column_for_each_entry() {
    let folder = Folder::demo();
    let line = ["sheet", "out", "t.csv", "--kind", "item", "--fields", "value,tags[]", "--mod", "long-night"];
    assert_eq!(folder.run(&line).code, 0);
    let text = folder.read("t.csv");
    let head = text.lines().next().unwrap();
    assert!(head.contains(",value,tags[0],tags[1]"), "{head}");
    let back = folder.run(&["sheet", "in", "t.csv", "--mod", "long-night"]);
    assert!(back.out.contains("the table says what stands already"), "{}", back.out);
    // the first entry goes, another one comes
    let ale = text.lines().find(|line| line.starts_with("ale,")).unwrap();
    let cells: Vec<&str> = ale.split(',').collect();
    let other = format!("{},,fuel{}", cells[..3].join(","), ",".repeat(cells.len() - 5));
    folder.put("t.csv", &text.replace(ale, &other));
    let back = folder.run(&["sheet", "in", "t.csv", "--mod", "long-night"]);
    assert_eq!(back.code, 0, "{}{}", back.out, back.err);
    let shown = folder.run(&["show", "item/ale", "--mod", "long-night"]);
    let tags = shown.out.lines().find(|line| line.trim_start().starts_with("tags")).unwrap();
    assert!(tags.contains("fuel") && !tags.contains("food"), "{tags}");
    // an entry that is none is refused as `set` refuses it
    folder.put("t.csv", &text.replace(ale, &other.replace("fuel", "fuell")));
    let back = folder.run(&["sheet", "in", "t.csv", "--over", "--mod", "long-night"]);
    assert!(back.code != 0 && back.err.contains("the nearest known one is `fuel`"), "{}", back.err);
}
