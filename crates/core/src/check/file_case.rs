//! `file-case`.

use super::finding::Finding;
use super::registry::Check;
use crate::rulebook::Severity;

pub(super) static CHECK: Check = Check {
    code: "file-case",
    severity: Severity::Warning,
    since: "0.1",
    summary: "a file that is there with other capital letters",
    finds: "A field or an id that stands for a file which is there, though with other capital and small letters.",
    matters: "It works on a system that does not tell them apart, and is missing on every other.",
    example: "\"icon\": \"Eel-Trap\"      # art/icons/eel-trap.png",
    mend: "Write it as the file is written, or rename the file.",
    accept: "Never; it breaks for some of your players.",
    run: |context, findings| {
        for lacking in context.lacking_files() {
            let wanted = lacking.wanted.clone();
            if let Some(there) = context.other_case(lacking.layer, &wanted) {
                let message = format!("there is no file `{wanted}`, but `{there}`: capital and small letters count");
                let name = there.strip_prefix(&lacking.template.before);
                let name = name.and_then(|name| name.strip_suffix(&lacking.template.after));
                let help = name.map(|name| format!("write `{name}`"));
                let finding = Finding::new(&CHECK, lacking.node.place(), message).help(help);
                findings.push(finding.about(lacking.about).path(Some(lacking.path.clone())));
            }
        }
        for implied in context.implied_files() {
            if let Some(there) = context.other_case(implied.layer, &implied.path) {
                let message = format!(
                    "{} stands for the file `{}`, but it is written `{there}`",
                    context.show(implied.address),
                    implied.path
                );
                let help = format!("rename the file to `{}`", implied.path);
                findings
                    .push(Finding::new(&CHECK, implied.place, message).about(Some(implied.address)).help(Some(help)));
            }
        }
    },
};
