// What arrives, and what it is held against: files that say their lab, paper with its scan, a whole course at once, the
// station sheet, and the sketch of an apparatus where a check fails.
import assert from "node:assert/strict";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";

let app, dir;
before(async () => { app = await startApp("arriving", { labs: ["keel-plate", "davit-balance"] }); dir = mkdtempSync(join(tmpdir(), "jurado-arriving-")); });
after(async () => { await app?.stop(); rmSync(dir, { recursive: true, force: true }); });

const file = (name, bytes) => { const path = join(dir, name); writeFileSync(path, bytes); return path; };
const query = (text) => sql(text, app.database).trim();
const lab = (slug) => query(`SELECT id FROM labs WHERE slug='${slug}'`);
const sheet = (slug, team) => query(`SELECT s.id FROM sheets s JOIN labs l ON l.id=s.lab_id JOIN teams t ON t.id=s.team_id WHERE s.stage IS NOT NULL AND l.slug='${slug}' AND t.name='${team}' AND s.submission_id IS NOT NULL`);
const png = Buffer.from("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==", "base64");
const bring = async (page, paths) => {
  await page.goto(`${app.origin}/intake`);
  await page.locator("#file").setInputFiles(paths);
  await page.getByRole("button", { name: "Look at it first" }).click();
};
const long = (...lines) => `section,team,item,row,value\n${lines.map((l) => `Morning,${l}`).join("\n")}\n`;

test("a file says of which lab it is; one that does not is told, and the choice is kept", async () => {
  const page = await app.reviewer1();
  await bring(page, [
    file("plates.csv", long("Alfa,plate_length,,84.31", "Alfa,plate_width,,41.92")),
    file("davits.csv", long("Alfa,pivot,,50.1", "Alfa,far_mark,,20.0", "Alfa,mass,1,100", "Alfa,mark,1,90.1")),
    file("neither.csv", long("Alfa,banana,,1", "Alfa,apple,,2")),
  ]);
  await page.getByRole("alert").getByText("neither.csv: its names are not those of any lab; choose the lab and bring it again").waitFor();
  for (const [name, title] of [["plates.csv", "Keel plate"], ["davits.csv", "Davit balance"]]) {
    await page.getByRole("link", { name }).click();
    await page.getByRole("heading", { level: 1, name }).waitFor();
    assert.match(await page.locator(".title").textContent(), new RegExp(title));
    await page.goBack();
    await page.getByRole("link", { name: "plates.csv" }).waitFor();
    await page.waitForLoadState("networkidle");
  }
  // Alone, with the lab chosen, it is offered or told by what is in it.
  await page.goto(`${app.origin}/intake`);
  await page.locator("#lab").selectOption({ label: "Davit balance" });
  await page.locator("#pasted").fill("one two three");
  await page.getByRole("button", { name: "Look at it first" }).click();
  await page.getByRole("alert").getByText("lacks the columns").waitFor();
  assert.equal(await page.locator("#lab option:checked").textContent(), "Davit balance");
  assert.equal(await page.locator("#pasted").inputValue(), "one two three");
  // A picture alone says nothing of a lab.
  await bring(page, [file("Alfa graph.png", png)]);
  await page.getByRole("alert").getByText("a picture does not say of which lab it is").waitFor();
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("the scan of a sheet goes with its table, is there for the second typing, and a bad one loses nothing typed", async () => {
  const page = await app.reviewer1();
  await page.goto(`${app.origin}/entry?lab=${lab("keel-plate")}&section=${query("SELECT id FROM sections WHERE term_id=0 AND name='Morning'")}`);
  const type = async () => {
    await page.getByLabel("Station").selectOption("3");
    await page.getByLabel("plate length").fill("84.37");
    await page.getByLabel("plate width").fill("41.95");
  };
  await page.getByLabel("Team").selectOption("Bravo");
  await type();
  await page.locator("#scan").setInputFiles(file("not a scan.png", "words"));
  await page.getByRole("button", { name: "Type it a second time" }).click();
  await page.getByRole("alert").getByText("“not a scan.png” is no picture and no PDF").waitFor();
  assert.equal(await page.getByLabel("plate length").inputValue(), "84.37");
  assert.equal(await page.getByLabel("Team").inputValue(), "Bravo");
  await page.locator("#scan").setInputFiles(file("sheet of Bravo.png", png));
  await page.locator(".scan > img:not([hidden])").waitFor();
  await page.getByRole("button", { name: "Type it a second time" }).click();
  await page.getByRole("heading", { name: "Once more" }).waitFor();
  const shown = page.locator(".scan figure img");
  assert.ok(await shown.evaluate((i) => i.complete && i.naturalWidth > 0), "the scan stands beside the second typing");
  await type();
  await page.getByRole("button", { name: "Go on" }).click();
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").waitFor();
  await page.goto(`${app.origin}/bench/${sheet("keel-plate", "Bravo")}`);
  await page.getByRole("link", { name: "sheet of Bravo.png" }).last().waitFor();
  // With names hidden the file does not say whose it is.
  await page.getByRole("button", { name: "hide names" }).click();
  await page.getByRole("link", { name: "attachment 1" }).last().waitFor();
  assert.equal(await page.getByText("Bravo").count(), 0);
  await page.getByRole("button", { name: "names hidden" }).click();
  assert.equal(query("SELECT COUNT(*) FROM attachments"), "1");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a whole course at once is taken in the background, and the page that was closed says how it ended", async () => {
  const page = await app.coordinator();
  const teams = Array.from({ length: 340 }, (_, i) => `Tide ${i + 1}`);
  await page.goto(`${app.origin}/sections`);
  await page.locator("#roster").fill(`section,team,number,name\n${teams.map((t, i) => `Spring,${t},T${1000 + i},Student ${i + 1}`).join("\n")}`);
  await page.getByRole("button", { name: "Take the roster" }).click();
  await page.getByRole("status").waitFor();
  const body = query(`SELECT s.body FROM submissions s JOIN sheets h ON h.submission_id=s.id WHERE h.id=${sheet("keel-plate", "Charlie")}`);
  const whole = JSON.parse(body.replaceAll("\\\\", "\\"));
  await bring(page, [file("spring.json", JSON.stringify(teams.map((team) => ({ ...whole, section: "Spring", team }))))]);
  await page.getByRole("button", { name: "Take 340 tables" }).click();
  await page.locator("#progress").waitFor();
  const at = page.url();
  assert.match(await page.locator("#progress").textContent(), /of 340 tables/);
  await page.close();
  const later = await app.coordinator();
  // The rest of the application goes on meanwhile.
  await later.getByRole("heading", { name: "Docket" }).waitFor();
  await later.goto(at);
  await later.getByRole("status").getByText("340 new").waitFor({ timeout: 90_000 });
  assert.equal(query("SELECT COUNT(*) FROM sheets h JOIN sections x ON x.id=h.section_id WHERE x.name='Spring' AND h.submission_id IS NOT NULL"), "340");
  assert.equal(query("SELECT state FROM imports ORDER BY id DESC LIMIT 1"), "taken");
  await later.context().close();
});

test("a hundred and twenty files at once come in together", async () => {
  const page = await app.coordinator();
  const paths = Array.from({ length: 120 }, (_, i) => file(`tide-${i + 1}.csv`, `section,team,item,row,value\nSpring,Tide ${i + 1},plate_length,,84.3${i % 10}\nSpring,Tide ${i + 1},plate_width,,41.9${i % 10}\n`));
  await bring(page, paths);
  await page.getByRole("heading", { level: 1, name: "120 files" }).waitFor({ timeout: 60_000 });
  await page.getByRole("button", { name: "Take 120 tables" }).click();
  await page.getByRole("status").getByText("120 revised").waitFor({ timeout: 60_000 });
  assert.equal(query("SELECT COUNT(*) FROM submissions s JOIN sheets h ON h.submission_id=s.id JOIN sections x ON x.id=h.section_id WHERE x.name='Spring' AND s.revision=2"), "120");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("the Back button and a second tab repeat nothing: a decision is made once, and told", async () => {
  const page = await app.reviewer1();
  const id = query(`SELECT s.id FROM sheets s JOIN sections x ON x.id=s.section_id WHERE s.stage IS NOT NULL AND s.lab_id=${lab("keel-plate")} AND x.name='Morning' AND s.open_findings >= 1 AND s.mark='slip' ORDER BY s.id LIMIT 1`);
  const decisions = () => Number(query(`SELECT COUNT(*) FROM decisions d JOIN submissions s ON s.id=d.submission_id WHERE s.sheet_id=${id} AND d.undone_at IS NULL`));
  const was = decisions();
  const first = await app.reviewer1();
  await page.goto(`${app.origin}/bench/${id}`);
  await first.goto(`${app.origin}/bench/${id}`);
  const open = page.locator("[data-finding]:not(.set)");
  const before = await open.count();
  await page.keyboard.press("Enter");
  await page.waitForFunction((n) => document.querySelectorAll("[data-finding]:not(.set)").length < n, before);
  assert.equal(decisions(), was + 1);
  // The other tab still shows it open.
  await first.keyboard.press("Enter");
  await first.getByRole("heading", { name: "Somebody was first" }).waitFor();
  assert.equal(decisions(), was + 1);
  await first.context().close();
  // Back, to the page as it was before: what it offers is told to be decided already, or no longer offered.
  await page.goto(`${app.origin}/docket`);
  await page.goBack();
  await page.goBack().catch(() => {});
  await page.waitForTimeout(300);
  if (page.url().includes(`/bench/${id}`)) {
    await page.keyboard.press("Enter");
    await page.waitForTimeout(500);
  }
  assert.ok(decisions() <= was + 2 && Number(query(`SELECT COUNT(DISTINCT d.finding) FROM decisions d JOIN submissions s ON s.id=d.submission_id WHERE s.sheet_id=${id} AND d.undone_at IS NULL`)) === decisions(), "no finding is decided twice");
  await page.context().close();
});

test("with many sections the Docket draws bands with a row a lab, and Sections comes in pages with a search", async () => {
  const page = await app.coordinator();
  await page.goto(`${app.origin}/sections`);
  const berth = (i) => `Berth ${String(i + 1).padStart(2, "0")}`;
  await page.locator("#roster").fill(`section,team,number,name\n${Array.from({ length: 60 }, (_, i) => `${berth(i)},Lone ${i + 1},B${i},Student ${i}`).join("\n")}`);
  await page.getByRole("button", { name: "Take the roster" }).click();
  await page.getByRole("status").getByText("60 sections, 60 teams and 60 students are new").waitFor();
  const heads = page.locator("main section h2 small");
  const all = Number(query("SELECT COUNT(*) FROM sections WHERE term_id=0"));
  await page.goto(`${app.origin}/sections`);
  await page.getByText(`1 to 48 of ${all} sections`).waitFor();
  assert.equal(await heads.count(), 48);
  await page.getByRole("link", { name: "after", exact: true }).click();
  await page.getByText(`49 to ${all} of ${all} sections`).waitFor();
  assert.equal(await heads.count(), all - 48);
  await page.keyboard.press("/");
  await page.keyboard.type("berth 5");
  await page.keyboard.press("Enter");
  await page.getByText("1 to 10 of 10 sections").waitFor();
  await page.getByRole("heading", { name: /^Berth 59/ }).waitFor();
  await page.locator("#findsec").fill("<b>&");
  await page.keyboard.press("Enter");
  await page.getByText("No section has “<b>&” in its name").waitFor();
  await page.goto(`${app.origin}/docket`);
  assert.equal(await page.locator(".bands li").count(), 2);
  await page.getByText("The same as a table").click();
  const row = page.getByRole("row", { name: /Keel plate/ });
  assert.equal((await row.getByRole("cell").first().innerText()).trim(), `${all} watches`);
  // What the row says is what the labels of the bands say.
  const says = await page.locator(".bands a", { hasText: "Keel plate" }).getAttribute("aria-label");
  const [wants, clear] = await row.locator("td.n").evaluateAll((cells) => cells.slice(0, 2).map((c) => c.textContent.trim()));
  assert.match(says, new RegExp(`${wants} want a person, ${clear} look clear`));
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a station sheet is changed in a form, one number and one station more, and stands as a new version", async () => {
  const page = await app.coordinator();
  const id = lab("davit-balance");
  const reviewer = await app.reviewer1();
  assert.equal((await reviewer.goto(`${app.origin}/protocols/${id}/stations`)).status(), 403);
  await reviewer.context().close();
  const version = Number(query(`SELECT p.version FROM labs l JOIN protocols p ON p.id=l.protocol_id WHERE l.id=${id}`));
  await page.goto(`${app.origin}/protocols/${id}`);
  await page.getByRole("link", { name: "Station sheet…" }).click();
  const box = (name) => page.getByLabel(`mass of the unknown, ${name}`);
  assert.equal(await box("Q: from").inputValue(), "187.1");
  await box("Q: from").fill("heavy");
  await page.getByRole("button", { name: "What would change?" }).click();
  await page.getByText("“heavy” is no number: write one such as 7.85.").waitFor();
  assert.equal(await box("Q: from").getAttribute("aria-invalid"), "true");
  await box("Q: from").fill("160,0");
  await box("Q: to").fill("161.0");
  await page.getByLabel("one more:").fill("Q");
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("“Q” is there already").waitFor();
  assert.equal(await box("Q: to").inputValue(), "161.0", "what was typed is still there");
  await page.getByLabel("one more:").fill("T");
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("has no value").or(page.getByRole("alert").getByText("A number is needed here")).first().waitFor();
  await box("the new one: name").fill("T");
  await box("the new one: from").fill("99.0");
  await box("the new one: to").fill("99.8");
  await page.getByRole("button", { name: "What would change?" }).click();
  await page.locator("#would").getByText(/\d+ tables? would change/).waitFor();
  assert.equal(query(`SELECT COUNT(*) FROM protocols WHERE slug='davit-balance'`), "1", "nothing is applied by looking");
  assert.equal(await box("the new one: from").inputValue(), "99.0", "what was typed is still there");
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("Write in a few words why it is put in force").waitFor();
  await page.getByLabel("Reason").fill("the unknowns were weighed anew");
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.waitForURL(`**/protocols/${id}`);
  await page.getByText(`version ${version + 1}`, { exact: false }).first().waitFor();
  const source = query(`SELECT source FROM protocols WHERE slug='davit-balance' ORDER BY id DESC LIMIT 1`);
  assert.match(source, /Q = \{ says = "Q", range = \[160\.0, 161\.0\] \}/);
  assert.match(source, /values = \["P", "Q", "R", "S", "T"\]/);
  assert.match(source, /# The uncertainty of 1\/y grows/, "what was written between the values is kept");
  // Sent again from a page of the version before: told, and what was typed is kept.
  await page.goto(`${app.origin}/protocols/${id}/stations`);
  await box("P: to").fill("149.5");
  await page.evaluate(() => { document.querySelector("[name=version]").value = "1"; });
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("Somebody has put version").waitFor();
  assert.equal(await box("P: to").inputValue(), "149.5");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a check that fails is explained by a sketch of the beam, in words too", async () => {
  const page = await app.reviewer1();
  await bring(page, [file("slipped.csv", long(
    "Delta,pivot,,50.0", "Delta,far_mark,,20.0",
    ...[[100, 90.0], [150, 76.7], [200, 70.0], [250, 66.0], [300, 63.3], [350, 71.4]].flatMap(([m, x], i) => [`Delta,mass,${i + 1},${m}`, `Delta,mark,${i + 1},${x}`]),
  ))]);
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").waitFor();
  await page.goto(`${app.origin}/bench/${sheet("davit-balance", "Delta")}`);
  const sketch = page.locator(".chart", { has: page.getByRole("heading", { name: "every mass times its arm gives the same moment" }) });
  const words = await sketch.locator("svg").first().getAttribute("aria-label");
  assert.match(words, /turns at 50\.00 cm.*row 1 4000.*row 6 7490/s);
  assert.equal(await sketch.locator(".sk-block").count(), 6);
  // A table whose moments agree has no need of it.
  const clear = query(`SELECT s.id FROM sheets s WHERE s.lab_id=${lab("davit-balance")} AND s.mark='agrees' LIMIT 1`);
  await page.goto(`${app.origin}/bench/${clear}`);
  assert.equal(await page.locator(".sk-block").count(), 0);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});
