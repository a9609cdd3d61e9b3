//! The report, in a browser.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::Path;
use std::process::Command;

use serde_json::Value;

/// Whether there is a browser; says why not, and fails where all programs are to be there.
#[allow(clippy::print_stderr, reason = "a test that is skipped says so")]
fn browser() -> bool {
    let found = Command::new("chromium").arg("--version").output();
    if let Err(error) = &found {
        let required = std::env::var_os("FELTING_TEST_PROGRAMS").is_some();
        assert!(!required, "chromium cannot be run: {error}");
        eprintln!("skipped: chromium cannot be run ({error}); .ci/run installs it");
    }
    found.is_ok()
}

fn report(model: &Path, page: &Path) -> String {
    let output = Command::new(env!("CARGO_BIN_EXE_felting"))
        .args(["report", "--day", "2026-11-24", "-o"])
        .arg(page)
        .arg(model)
        .output()
        .unwrap();
    let complaint = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(0), "{complaint}");
    std::fs::read_to_string(page).unwrap()
}

fn demo(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name).join("fabric.toml")
}

/// Loads a page in the browser with a script at its end, and returns what that leaves in `outcome`. Errors of
/// the page's own scripts are in `outcome.errors`.
fn drive(folder: &Path, page: &str, script: &str) -> Value {
    let watch = "<script>window.outcome = { errors: [] }; \
                 addEventListener('error', (e) => outcome.errors.push(String(e.message))); \
                 addEventListener('securitypolicyviolation', (e) => outcome.errors.push(e.blockedURI));</script>";
    let tell = format!(
        "<script>{script};\nconst pre = document.createElement('pre'); pre.id = 'outcome'; \
         pre.textContent = JSON.stringify(outcome); document.body.append(pre);</script>"
    );
    let end = page.rfind("</body>").unwrap();
    let watched = format!("{}{tell}{}", &page[..end], &page[end..]);
    let watched = watched.replacen("<style>", &format!("{watch}<style>"), 1);
    let file = folder.join("driven.html");
    std::fs::write(&file, watched).unwrap();
    let output = Command::new("chromium")
        .args(["--headless=new", "--no-sandbox", "--disable-gpu", "--enable-logging=stderr"])
        .args(["--window-size=1280,800", "--virtual-time-budget=4000", "--dump-dom"])
        .arg(format!("--user-data-dir={}", folder.join("browser").display()))
        .arg(format!("file://{}", file.display()))
        .output()
        .unwrap();
    let log = String::from_utf8_lossy(&output.stderr);
    let said: Vec<&str> = log.lines().filter(|line| line.contains("CONSOLE")).collect();
    assert_eq!(said, Vec::<&str>::new());
    let dom = String::from_utf8(output.stdout).unwrap();
    let start = dom.find("<pre id=\"outcome\">").unwrap() + "<pre id=\"outcome\">".len();
    let text = &dom[start..start + dom[start..].find("</pre>").unwrap()];
    let text = text.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    serde_json::from_str(&text).unwrap()
}

#[test]
fn it_works_in_a_browser() {
    if !browser() {
        return;
    }
    let folder = tempfile::tempdir().unwrap();
    let page = report(&demo("saltmarsh-stormy"), &folder.path().join("report.html"));
    let script = r"
        const shown = () => [...document.querySelectorAll('#drawings figure')].filter((f) => getComputedStyle(f).display !== 'none').map((f) => f.id);
        outcome.first = shown();
        document.querySelector('#drawings .tabs a[href=\'#drawing-tenants\']').click();
        outcome.second = shown();
        const hits = () => [...document.querySelectorAll('#drawings g.hit')].map((g) => JSON.parse(g.dataset.of)).flat();
        const finding = [...document.querySelectorAll('details.finding')].find((f) => f.textContent.includes('[pair-peer-link-missing]'));
        finding.querySelector('a.show').click();
        outcome.hits = hits();
        outcome.third = shown();
        const svg = document.querySelector('#drawing-cabling svg');
        const before = svg.viewBox.baseVal.width;
        document.querySelector('[data-zoom=in]').click();
        outcome.nearer = svg.viewBox.baseVal.width < before;
        document.querySelector('[data-zoom=all]').click();
        outcome.whole = svg.viewBox.baseVal.width === before;
        const mark = [...document.querySelectorAll('#drawing-cabling g.mark')].find((g) => JSON.parse(g.dataset.of)[0] === 'finding 14');
        mark.dispatchEvent(new MouseEvent('click', { bubbles: true }));
        outcome.opened = document.getElementById('finding-14').open;
        const input = document.querySelector('#findings input.filter');
        input.value = 'LAG-VLAN-CLASH';
        input.dispatchEvent(new Event('input'));
        outcome.left = [...document.querySelectorAll('details.finding')].filter((f) => !f.hidden).length;
        outcome.says = document.querySelector('[data-of-list=findings-list]').textContent;
        const sheet = document.querySelector('#sheet-cables');
        const column = (at) => [...sheet.querySelectorAll('tbody tr')].map((row) => row.cells[at].textContent);
        const head = sheet.querySelector('th');
        head.click();
        outcome.sorted = column(0).join() === column(0).toSorted(new Intl.Collator('en', { numeric: true }).compare).join();
        outcome.excerpt = finding.querySelector('pre').textContent.includes('fabric.toml:');
        outcome.details = document.querySelector('#drawing-cabling g[data-of] > title').textContent.length > 0;
    ";
    let outcome = drive(folder.path(), &page, script);
    let expected = serde_json::json!({
        "errors": [],
        "first": ["drawing-cabling"],
        "second": ["drawing-tenants"],
        "third": ["drawing-cabling"],
        "nearer": true,
        "whole": true,
        "opened": true,
        "sorted": true,
        "excerpt": true,
        "details": true,
    });
    for (key, value) in expected.as_object().unwrap() {
        assert_eq!(&outcome[key], value, "{key}: {outcome:#}");
    }
    let hits: Vec<&str> =
        outcome["hits"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
    assert!(hits.contains(&"reed-b"), "{outcome:#}");
    let left = outcome["left"].as_u64().unwrap();
    assert!(left >= 1 && outcome["says"] == format!("{left} of 66"), "{outcome:#}");
}

/// Names with markup in them, wherever a name is free.
const HOSTILE: &str = r#"
[fabric]
name = "<script>outcome.hurt = 1</script>"

[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"
software = "</style><script>outcome.hurt = 2</script>"
position = "' onmouseover='outcome.hurt = 6"
rack = "\"><img src=x onerror='outcome.hurt = 3'>"

[[cabling.runs]]
run = "kelp-a p1 -- kelp-b p1"
label = "]]></title><script>outcome.hurt = 4</script>"

[[tree]]
on = "kelp-*"
mode = "mstp"
region = "</text><script>outcome.hurt = 5</script>"

[[segment]]
name = "tides"
vlan = 310
on = "kelp-*"

[[accept]]
rule = "segment-unused"
on = "tides"
reason = "</script><script>outcome.hurt = 7</script>"
"#;

#[test]
fn names_stay_text() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("<b>hostile.toml");
    std::fs::write(&file, HOSTILE).unwrap();
    let fabric = felting::Fabric::from_path(&file);
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    let page = report(&file, &folder.path().join("report.html"));
    // One script, the page's own, and no element that the file brought along.
    assert_eq!(page.matches("<script").count(), 1);
    assert!(!page.contains("<img") && !page.contains("<b>hostile"));
    assert!(page.contains("outcome.hurt = 1"), "the name is there, as text");
    if browser() {
        let outcome = drive(
            folder.path(),
            &page,
            "outcome.title = document.title; outcome.scripts = document.scripts.length",
        );
        assert_eq!(outcome["hurt"], Value::Null, "{outcome:#}");
        assert_eq!(outcome["errors"], serde_json::json!([]), "{outcome:#}");
        assert_eq!(outcome["title"], "<script>outcome.hurt = 1</script>: report");
    }
}

#[test]
fn it_is_a_document_without_scripts() {
    let folder = tempfile::tempdir().unwrap();
    let page = report(&demo("saltmarsh"), &folder.path().join("report.html"));
    let start = page.find("<script>").unwrap();
    let end = page.find("</script>").unwrap();
    let still = format!("{}{}", &page[..start], &page[end..]);
    // Nothing is fetched, and nothing waits for a script to be shown.
    for word in ["src=", "href=\"http", "@import", "url(", "<link"] {
        assert!(!still.contains(word), "{word}");
    }
    for words in ["<svg", "web-1 reaches", "id=\"sheet-cables\"", "Accepted", "nothing found"] {
        assert!(still.contains(words), "{words}");
    }
}
