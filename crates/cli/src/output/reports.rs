//! Findings in the forms that continuous integration reads.

use std::collections::BTreeMap;

use clap::ValueEnum;
use cognomen_core::{CHECKS, Stamp};
use quick_xml::events::{BytesDecl, BytesText, Event};
use quick_xml::writer::Writer;
use serde_json::{Value, json};

use crate::answers::FindingAnswer;

/// A form of report.
#[derive(ValueEnum, Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum ReportForm {
    /// SARIF 2.1.0, for code scanning
    Sarif,
    /// JUnit XML, for test reports
    Junit,
    /// Lines that GitHub's runners show beside the code
    Github,
    /// Lines that Azure Pipelines show
    Azure,
    /// A code quality report for GitLab
    Gitlab,
}

/// Findings in a form. `prefix` leads from the top of the repository to the workspace.
pub(crate) fn report(form: ReportForm, findings: &[FindingAnswer], prefix: &str) -> Result<String, std::io::Error> {
    Ok(match form {
        ReportForm::Sarif => format!("{:#}\n", sarif(findings, prefix)),
        ReportForm::Junit => junit(findings, prefix)?,
        ReportForm::Github => findings.iter().map(|finding| github(finding, prefix)).collect(),
        ReportForm::Azure => findings.iter().map(|finding| azure(finding, prefix)).collect(),
        ReportForm::Gitlab => format!("{:#}\n", gitlab(findings, prefix)),
    })
}

/// The message with what helps behind it.
fn said(finding: &FindingAnswer) -> String {
    let mut out = finding.message.clone();
    for (word, text) in [("the game: ", &finding.game), ("help: ", &finding.help)] {
        if let Some(text) = text {
            out.push_str(&format!("\n{word}{text}"));
        }
    }
    out
}

/// What stays the same of a finding while lines above it come and go.
fn fingerprint(finding: &FindingAnswer) -> String {
    let (address, path) = (finding.address.as_deref().unwrap_or(""), finding.path.as_deref().unwrap_or(""));
    let parts = [&*finding.code, &finding.place.file, address, path, &finding.message];
    Stamp::of(parts.join("\0").as_bytes()).word()
}

/// A path as a reference to a resource (RFC 3986): what is not unreserved is in hexadecimal.
fn uri(path: &str) -> String {
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte);
    path.bytes().map(|byte| if plain(byte) { char::from(byte).to_string() } else { format!("%{byte:02X}") }).collect()
}

/// SARIF 2.1.0 (OASIS standard, 27 March 2020).
fn sarif(findings: &[FindingAnswer], prefix: &str) -> Value {
    let mut codes: Vec<&str> = findings.iter().map(|finding| &*finding.code).collect();
    codes.sort_unstable();
    codes.dedup();
    let rule = |code: &&str| {
        let check = CHECKS.iter().find(|check| check.code == *code);
        // what the rulebook itself demands has only its message
        let (short, full, help) =
            check.map_or(("a rule of the rulebook", "", ""), |check| (check.summary, check.finds, check.mend));
        let mut rule = json!({ "id": code, "shortDescription": { "text": short } });
        if let Some(rule) = rule.as_object_mut().filter(|_| check.is_some()) {
            rule.insert("fullDescription".to_owned(), json!({ "text": full }));
            rule.insert("help".to_owned(), json!({ "text": help }));
        }
        rule
    };
    let place = |place: &crate::answers::PlaceAnswer| {
        json!({
            "artifactLocation": { "uri": uri(&format!("{prefix}{}", place.file)) },
            "region": {
                "startLine": place.line.max(1),
                "startColumn": place.column.max(1),
                "endLine": place.end_line.max(1),
                "endColumn": place.end_column.max(1),
            },
        })
    };
    let result = |finding: &FindingAnswer| {
        let mut location = json!({ "physicalLocation": place(&finding.place) });
        if let (Some(address), Some(location)) = (&finding.address, location.as_object_mut()) {
            location.insert("logicalLocations".to_owned(), json!([{ "fullyQualifiedName": address }]));
        }
        let related: Vec<Value> = (1u32..)
            .zip(&finding.related)
            .map(|(id, other)| {
                json!({ "id": id, "physicalLocation": place(&other.place), "message": { "text": other.message } })
            })
            .collect();
        let mut result = json!({
            "ruleId": finding.code,
            "ruleIndex": codes.binary_search(&&*finding.code).unwrap_or(0),
            "level": finding.severity,
            "message": { "text": said(finding) },
            "locations": [location],
            "partialFingerprints": { "cognomen/v1": fingerprint(finding) },
        });
        if let Some(result) = result.as_object_mut().filter(|_| !related.is_empty()) {
            result.insert("relatedLocations".to_owned(), Value::Array(related));
        }
        result
    };
    json!({
        "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": {
                "name": "Cognomen",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": codes.iter().map(rule).collect::<Vec<_>>(),
            } },
            "columnKind": "unicodeCodePoints",
            "results": findings.iter().map(result).collect::<Vec<_>>(),
        }],
    })
}

/// A suite for each mod, a case for each finding: errors have failed, the rest is told in them.
fn junit(findings: &[FindingAnswer], prefix: &str) -> Result<String, std::io::Error> {
    let mut suites: BTreeMap<String, Vec<&FindingAnswer>> = BTreeMap::new();
    for finding in findings {
        let whose = if finding.whose.is_empty() { "workspace".to_owned() } else { finding.whose.join(" and ") };
        suites.entry(whose).or_default().push(finding);
    }
    let failed = |all: &[&FindingAnswer]| all.iter().filter(|finding| finding.severity == "error").count();
    let total = findings.len().max(1).to_string();
    let failures = failed(&findings.iter().collect::<Vec<_>>()).to_string();
    let mut writer = Writer::new_with_indent(Vec::new(), b' ', 2);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    writer
        .create_element("testsuites")
        .with_attributes([("name", "cognomen check"), ("tests", total.as_str()), ("failures", failures.as_str())])
        .write_inner_content(|writer| {
            if suites.is_empty() {
                writer
                    .create_element("testsuite")
                    .with_attributes([("name", "check"), ("tests", "1"), ("failures", "0")])
                    .write_inner_content(|writer| {
                        let case = writer.create_element("testcase");
                        case.with_attributes([("name", "no findings"), ("classname", "check")]).write_empty()?;
                        Ok(())
                    })?;
            }
            for (whose, all) in &suites {
                let (tests, failures) = (all.len().to_string(), failed(all).to_string());
                writer
                    .create_element("testsuite")
                    .with_attributes([
                        ("name", whose.as_str()),
                        ("tests", tests.as_str()),
                        ("failures", failures.as_str()),
                    ])
                    .write_inner_content(|writer| {
                        all.iter().try_for_each(|finding| case(writer, finding, whose, prefix))
                    })?;
            }
            Ok(())
        })?;
    let mut out = String::from_utf8(writer.into_inner()).map_err(std::io::Error::other)?;
    out.push('\n');
    Ok(out)
}

fn case(writer: &mut Writer<Vec<u8>>, finding: &FindingAnswer, whose: &str, prefix: &str) -> std::io::Result<()> {
    let file = format!("{prefix}{}", finding.place.file);
    let line = finding.place.line.to_string();
    let about = finding.address.clone().unwrap_or_else(|| file.clone());
    let name = printable(&format!("{}: {about}", finding.code));
    let text = printable(&format!("{file}:{line}: {}", said(finding)));
    let message = printable(&finding.message);
    writer
        .create_element("testcase")
        .with_attributes([
            ("name", name.as_str()),
            ("classname", whose),
            ("file", file.as_str()),
            ("line", line.as_str()),
        ])
        .write_inner_content(|writer| {
            match finding.severity {
                "error" => writer
                    .create_element("failure")
                    .with_attributes([("message", message.as_str()), ("type", &*finding.code)])
                    .write_text_content(BytesText::new(&text))?,
                severity => writer
                    .create_element("system-out")
                    .write_text_content(BytesText::new(&format!("{severity}: {text}")))?,
            };
            Ok(())
        })?;
    Ok(())
}

/// A text without the characters that XML 1.0 cannot hold.
fn printable(text: &str) -> String {
    let fine = |c: &char| !c.is_control() || matches!(c, '\n' | '\t');
    text.chars().filter(fine).collect()
}

fn github(finding: &FindingAnswer, prefix: &str) -> String {
    let word = if finding.severity == "note" { "notice" } else { finding.severity };
    let escape = |text: &str| text.replace('%', "%25").replace('\r', "%0D").replace('\n', "%0A");
    let value = |text: &str| escape(text).replace(':', "%3A").replace(',', "%2C");
    let place = &finding.place;
    // a column is told only where start and end are on one line
    let columns = match place.line == place.end_line {
        true => format!(",col={},endColumn={}", place.column, place.end_column),
        false => String::new(),
    };
    format!(
        "::{word} file={},line={},endLine={}{columns},title={}::{}\n",
        value(&format!("{prefix}{}", place.file)),
        place.line,
        place.end_line,
        value(&finding.code),
        escape(&said(finding))
    )
}

fn azure(finding: &FindingAnswer, prefix: &str) -> String {
    let word = if finding.severity == "error" { "error" } else { "warning" };
    let value = |text: &str| {
        text.replace('%', "%AZP25").replace(';', "%3B").replace(']', "%5D").replace('\r', "%0D").replace('\n', "%0A")
    };
    let place = &finding.place;
    format!(
        "##vso[task.logissue type={word};sourcepath={};linenumber={};columnnumber={};code={};]{}\n",
        value(&format!("{prefix}{}", place.file)),
        place.line,
        place.column,
        value(&finding.code),
        said(finding).replace('\n', " | ")
    )
}

fn gitlab(findings: &[FindingAnswer], prefix: &str) -> Value {
    let severity = |word: &str| match word {
        "error" => "major",
        "warning" => "minor",
        _ => "info",
    };
    let one = |finding: &FindingAnswer| {
        json!({
            "description": said(finding),
            "check_name": finding.code,
            "fingerprint": fingerprint(finding),
            "severity": severity(finding.severity),
            "location": {
                "path": format!("{prefix}{}", finding.place.file),
                "lines": { "begin": finding.place.line.max(1), "end": finding.place.end_line.max(1) },
            },
        })
    };
    findings.iter().map(one).collect()
}
