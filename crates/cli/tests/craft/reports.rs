//! Reports for continuous integration, and what is new since a revision.
use crate::common::Folder;
use serde_json::Value;

/// The standard's own schema, without its remarks.
const SARIF: &str = include_str!("../schemas/sarif-2.1.0.json");

fn check(folder: &Folder, line: &[&str]) -> crate::common::Run {
    folder.run(&[&["check"][..], line].concat())
}

#[test]
fn a_report_for_code_scanning_is_as_its_standard_says() {
    let schema: Value = serde_json::from_str(SARIF).unwrap();
    let validator = jsonschema::draft7::new(&schema).unwrap();
    for game in ["peatlight", "kilnyard", "mulepost", "sporehall", "wrackline"] {
        let folder = Folder::example(game);
        let run = check(&folder, &["--report", "sarif"]);
        let report = run.json();
        let faults: Vec<String> = validator.iter_errors(&report).map(|error| format!("{error}")).collect();
        assert!(faults.is_empty(), "{game}: {faults:?}");
        let told = check(&folder, &["--format", "json"]).json();
        let results = report["runs"][0]["results"].as_array().unwrap();
        assert_eq!(results.len(), told["findings"].as_array().unwrap().len(), "{game}");
        for (result, finding) in results.iter().zip(told["findings"].as_array().unwrap()) {
            let rule = &report["runs"][0]["tool"]["driver"]["rules"][result["ruleIndex"].as_u64().unwrap() as usize];
            assert_eq!((&rule["id"], &result["ruleId"]), (&finding["code"], &finding["code"]));
            let region = &result["locations"][0]["physicalLocation"]["region"];
            assert_eq!(region["startLine"].as_u64(), finding["line"].as_u64().map(|line| line.max(1)));
        }
    }
}

#[test]
fn what_message_and_help_speak_of_is_there_by_name() {
    for folder in [Folder::demo(), Folder::example("wrackline"), Folder::example("kilnyard")] {
        let told = check(&folder, &["--format", "json"]).json();
        for finding in told["findings"].as_array().unwrap() {
            let said = format!("{} {}", finding["message"], finding["help"]);
            for (name, fact) in finding["facts"].as_object().unwrap() {
                let words: Vec<&Value> = fact.as_array().map_or_else(|| vec![fact], |all| all.iter().collect());
                for word in words.iter().map(|word| word.as_str().map_or(word.to_string(), str::to_owned)) {
                    let written = Value::from(word).to_string();
                    assert!(said.contains(written.trim_matches('"')), "{name} = {written} in {said}");
                }
            }
        }
    }
    let told = check(&Folder::demo(), &["--format", "json"]).json();
    let choice = told["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "not-a-choice");
    let facts = &choice.unwrap()["facts"];
    assert_eq!((&facts["word"], &facts["nearest"]), (&Value::from("sweat"), &Value::from("sweet")));
    assert_eq!(facts["allowed"].as_array().map(Vec::len), Some(5));
    // a slip of the notation, too
    let folder = Folder::demo();
    folder.put("mods/long-night/goods/odd.json", "{ \"odd\": { \"value\": 3 }\n");
    let told = check(&folder, &["--mod", "long-night", "--code", "file-broken", "--format", "json"]).json();
    assert_eq!(told["findings"][0]["facts"], serde_json::json!({ "what": "table", "close": "}" }));
}

#[test]
fn other_reports_say_the_same() {
    let folder = Folder::demo();
    let told = check(&folder, &["--mod", "first-steps", "--format", "json"]).json();
    let findings = told["findings"].as_array().unwrap();
    let line =
        ["--mod", "first-steps", "--report", "junit=out.xml", "--report", "gitlab=out.json", "--report", "github"];
    let run = check(&folder, &line);
    assert_eq!(run.code, 1);
    assert_eq!(run.out.lines().count(), findings.len());
    assert!(
        run.out.lines().all(|line| line.starts_with("::error ")
            || line.starts_with("::warning ")
            || line.starts_with("::notice "))
    );
    assert!(
        run.out.contains("file=mods/first-steps/mod.json,line=4,endLine=4,col=14,endColumn=19,title=text-malformed::"),
        "{}",
        run.out
    );
    let junit = folder.read("out.xml");
    let failures = junit.matches("<failure ").count();
    assert_eq!(told["errors"].as_u64(), Some(failures as u64));
    assert!(junit.contains(&format!("tests=\"{}\" failures=\"{failures}\"", findings.len())), "{junit}");
    let quality: Value = serde_json::from_str(&folder.read("out.json")).unwrap();
    assert_eq!(quality.as_array().unwrap().len(), findings.len());
    let azure = check(&folder, &["--mod", "first-steps", "--report", "azure"]);
    assert!(azure.out.lines().all(|line| line.starts_with("##vso[task.logissue type=")), "{}", azure.out);
    let clean = check(&folder, &["--mod", "long-night", "--report", "junit"]);
    assert_eq!(clean.code, 0);
    assert!(clean.out.contains("tests=\"1\" failures=\"0\""), "{}", clean.out);
    for (line, code, said) in [
        (&["--report", "sarf"][..], 2, "the nearest is `sarif`"),
        (&["--report", "sarif", "--report", "junit"], 2, "name a file"),
        (&["--report", "sarif=base/x.sarif"], 3, "never written to"),
        (&["--report", "sarif=no/such/x.sarif"], 3, "there is no folder"),
    ] {
        let run = check(&folder, line);
        assert!(run.code == code && run.err.contains(said), "{line:?}: {}", run.err);
    }
}

fn git(folder: &Folder, line: &[&str]) {
    let run = std::process::Command::new("git")
        .args(["-c", "user.name=fen", "-c", "user.email=fen@example.org", "-c", "commit.gpgsign=false"])
        .args(line)
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert!(run.status.success(), "{line:?}: {}", String::from_utf8_lossy(&run.stderr));
}

#[test]
fn only_what_is_new_since_a_revision_is_told() {
    let outer = Folder::empty();
    for (path, bytes) in Folder::demo().all("") {
        let to = outer.file(&format!("games/fen mods/{path}"));
        std::fs::create_dir_all(to.parent().unwrap()).unwrap();
        std::fs::write(to, bytes).unwrap();
    }
    let workspace = ["--workspace", "games/fen mods"];
    let since = |line: &[&str]| outer.run(&[&["check"][..], &workspace, line].concat());
    let run = since(&["--changed-since", "HEAD"]);
    assert!(run.code == 3 && run.err.contains("no git repository"), "{}", run.err);
    git(&outer, &["init", "-q"]);
    git(&outer, &["add", "-A"]);
    git(&outer, &["commit", "-q", "-m", "all"]);
    let run = since(&["--changed-since", "HEAD"]);
    assert_eq!((run.code, run.out.as_str().starts_with("no findings new since HEAD")), (0, true), "{}", run.out);
    // a change that shows elsewhere, lines that only move, a new file, one that goes
    let food = "games/fen mods/mods/smoke-and-salt/goods/salting.json";
    outer.put(food, &outer.read(food).replacen('{', "{\n\n", 1));
    outer.put(
        "games/fen mods/mods/long-night/goods/new.json",
        "{ \"pole\": { \"value\": 1, \"weight\": 1, \"tags\": [\"tol\"] } }\n",
    );
    let set = ["set", "item/eel", "tags+=fuel", "--mod", "long-night"];
    assert_eq!(outer.run(&[&set[..], &workspace].concat()).code, 0);
    std::fs::remove_file(outer.file("games/fen mods/mods/tidegate/texts/names.csv")).unwrap();
    let run = since(&["--changed-since", "HEAD", "--format", "json"]);
    let told = run.json();
    let mut codes: Vec<&str> =
        told["findings"].as_array().unwrap().iter().map(|one| one["code"].as_str().unwrap()).collect();
    codes.sort_unstable();
    codes.dedup();
    assert_eq!(codes, ["fuel-does-not-burn", "leads-nowhere", "nothing-leads-there", "text-lacking"], "{told}");
    let report = since(&["--changed-since", "HEAD", "--report", "sarif"]).json();
    let place = &report["runs"][0]["results"][0]["locations"][0]["physicalLocation"]["artifactLocation"]["uri"];
    assert!(place.as_str().unwrap().starts_with("games/fen%20mods/"), "{place}");
    git(&outer, &["add", "-A"]);
    git(&outer, &["commit", "-q", "-m", "more"]);
    assert!(since(&["--changed-since", "HEAD"]).out.starts_with("no findings"));
    assert_eq!(since(&["--changed-since", "HEAD~1"]).code, 1);
    let run = since(&["--changed-since", "nosuch"]);
    assert!(run.code == 3 && run.err.contains("git knows no revision `nosuch`"), "{}", run.err);
    let run = since(&["--changed-since", "--all"]);
    assert!(run.code != 0, "{}", run.out);
}
