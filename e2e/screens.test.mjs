// The screens of the evening as a person uses them: try-out, words of one's own, attachments, quick check, paper, files of
// any layout, sections, returns.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { sql, startApp, settled } from "./app.mjs";

let app, dir;
before(async () => { app = await startApp("screens", { labs: ["keel-plate", "beacon-timer"] }); dir = mkdtempSync(join(tmpdir(), "jurado-screens-")); });
after(async () => { await app?.stop(); rmSync(dir, { recursive: true, force: true }); });

const score = async (page) => (await page.locator(".score tfoot td.dcd").textContent()).trim();
const file = (name, bytes) => { const path = join(dir, name); writeFileSync(path, bytes); return path; };
/** The Bench of a team's table of a lab. */
const bench = async (page, slug, team) => {
  const id = sql(`SELECT s.id FROM sheets s JOIN labs l ON l.id=s.lab_id JOIN teams t ON t.id=s.team_id WHERE s.stage IS NOT NULL AND l.slug='${slug}' AND t.name='${team}'`, app.database).trim();
  await page.goto(`${app.origin}/bench/${id}`);
  await page.getByRole("heading", { level: 1, name: team }).waitFor();
  await page.waitForLoadState("load");
  return id;
};

test("a reading is tried out in place, nothing is stored, then it is taken as the correction and undone", async () => {
  const page = await app.reviewer1();
  const id = await bench(page, "keel-plate", "Dunlin");
  const before = await score(page);
  await page.keyboard.press("t");
  await page.getByRole("heading", { name: "Try-out" }).waitFor();
  await page.getByLabel("plate mass").fill("73.80");
  await page.keyboard.press("Tab");
  await page.locator(".tried").first().waitFor();
  assert.match(await page.locator(".tryhead p").textContent(), /1 changed · the sum would be 28\.0/);
  assert.equal(await page.evaluate(() => document.activeElement.name), "c.disc_diameter:1", "the focus went on");
  await page.getByLabel("leave out: disc diameter, reading 4").check();
  await page.getByText("2 changed").waitFor();
  assert.equal(sql(`SELECT COUNT(*) FROM decisions d JOIN submissions s ON s.id=d.submission_id WHERE s.sheet_id=${id}`, app.database).trim(), "0", "nothing is stored");
  // Escape leaves the field, then puts everything back.
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await page.waitForURL(`**/bench/${id}`);
  assert.equal(await score(page), before);
  await page.keyboard.press("t");
  await page.getByLabel("plate mass").fill("73.80");
  await page.getByText("Take as the correction").click();
  await page.locator("#treason").fill("the photo shows 73.80");
  await page.getByRole("button", { name: "Judge the table with it" }).click();
  await page.locator(".noted", { hasText: "73.80" }).waitFor({ state: "attached" });
  assert.match(await page.locator(".noted").textContent(), /taken as 73\.80 in place of 72\.80, by Reviewer 1: the photo shows 73\.80/);
  const body = sql(`SELECT body FROM submissions WHERE sheet_id=${id}`, app.database);
  assert.match(body, /72\.80/, "the submission is as it was typed");
  await page.keyboard.press("u");
  await page.waitForFunction((was) => document.querySelector(".score tfoot td.dcd").textContent.trim() === was, before);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a finding of one's own, other words for the team, and an expired sign-in that loses none", async () => {
  const page = await app.reviewer1();
  await bench(page, "keel-plate", "Eider");
  const before = Number(await score(page));
  await page.keyboard.press("a");
  await page.getByLabel("What the team should read").fill("The sketch <b>has</b> no scale.");
  // The sign-in runs out while this is typed.
  await page.context().clearCookies({ name: "jurado" });
  await page.getByLabel("Counts under").selectOption("calculation");
  await page.getByLabel("Points it costs").fill("0.5");
  await page.getByRole("button", { name: "Add it" }).click();
  await page.getByLabel("Password").waitFor();
  await page.getByLabel("Name").fill("reviewer1");
  await page.getByLabel("Password").fill("morning tide");
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("heading", { level: 1, name: "Eider" }).waitFor();
  assert.equal(await page.getByLabel("What the team should read").inputValue(), "The sketch <b>has</b> no scale.", "what was typed is still there");
  await page.getByLabel("Counts under").selectOption("calculation");
  await page.getByLabel("Points it costs").fill("0.5");
  await page.getByRole("button", { name: "Add it" }).click();
  await page.waitForFunction((was) => Number(document.querySelector(".score tfoot td.dcd").textContent) === was - 0.5, before);
  assert.match(await page.locator(".sent").textContent(), /The sketch <b>has<\/b> no scale\./, "markup is text");
  assert.equal(await page.locator(".sent b").count(), 0);
  await page.waitForFunction(() => sessionStorage.getItem("sent") === null);
  await page.locator(".fd .pn").last().click();
  await page.locator(".fd.now", { hasText: "sketch" }).waitFor();
  await page.keyboard.press("s");
  await page.getByLabel("What the team reads of it").fill("Please draw the sketch to scale.");
  await page.getByRole("button", { name: "Say this" }).click();
  await page.locator(".sent", { hasText: "Please draw the sketch to scale." }).waitFor();
  // Back shows what is there now, and sends nothing twice.
  await page.goBack();
  await page.waitForLoadState("load");
  assert.equal(sql("SELECT COUNT(*) FROM decisions WHERE finding LIKE 'own:%'", app.database).trim(), "1");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a connection lost in the middle of a decision is told, and the decision is made once", async () => {
  const page = await app.reviewer2();
  const id = await bench(page, "keel-plate", "India");
  const decided = () => Number(sql(`SELECT COUNT(*) FROM decisions d JOIN submissions s ON s.id=d.submission_id WHERE s.sheet_id=${id}`, app.database));
  await page.keyboard.press("d");
  await page.locator(".fd.now").getByLabel("Reason, kept beside the mark").fill("the sheet says four");
  await page.context().setOffline(true);
  await page.keyboard.press("Enter");
  await page.getByRole("alert").getByText("The connection was lost, so nothing was stored").waitFor();
  assert.equal(await page.locator(".fd.now").getByLabel("Reason, kept beside the mark").inputValue(), "the sheet says four");
  assert.equal(decided(), 0);
  await page.context().setOffline(false);
  await page.locator(".fd.now").getByRole("button", { name: "Decide" }).click();
  await page.locator(".fd .pn.done").first().waitFor();
  assert.equal(decided(), 1);
  // The same page in a second tab is older than this decision: told, and nothing is overwritten.
  const tab = await page.context().newPage();
  await tab.goto(`${app.origin}/bench/${id}`);
  await page.keyboard.press("u");
  await page.locator(".fd .pn:not(.done)").first().waitFor();
  await tab.keyboard.press("u");
  await tab.getByRole("alert").getByText("Somebody was first").waitFor();
  assert.equal(decided(), 1, "the undone one stays in the record, and no other came");
  await page.context().close();
});

test("pictures lie with a table, and what is no picture is told", async () => {
  const page = await app.reviewer1();
  await bench(page, "keel-plate", "Alfa");
  const png = Buffer.from("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==", "base64");
  await page.locator("#attfile").setInputFiles(file("graph <i>.png", png));
  await page.getByRole("button", { name: "Put it with the table" }).click();
  await page.getByRole("link", { name: "graph <i>.png" }).last().waitFor();
  const shown = await page.request.get(`${app.origin}${await page.locator(".attached img").getAttribute("src")}`);
  assert.equal(shown.headers()["content-type"], "image/png");
  await page.locator("#attfile").setInputFiles(file("picture.png", "<html><script>1</script></html>"));
  await page.getByRole("button", { name: "Put it with the table" }).click();
  await page.getByRole("alert").getByText("no picture and no PDF, whatever its name says").waitFor();
  // Another reviewer, who does not see the section, gets neither table nor picture.
  const other = await app.reviewer2();
  const answer = await other.goto(shown.url());
  assert.equal(answer.status(), 404);
  await other.context().close();
  await bench(page, "keel-plate", "Alfa");
  await page.getByRole("button", { name: "take away" }).click();
  await page.getByText("Nothing yet.").waitFor();
  await page.context().close();
});

test("quick check tells what to take again and why, on a phone, and stores nothing", async () => {
  const page = await app.reviewer1({ viewport: { width: 390, height: 844 } });
  const rows = () => sql("SELECT (SELECT COUNT(*) FROM submissions), (SELECT COUNT(*) FROM imports), (SELECT COUNT(*) FROM decisions)", app.database);
  const before = rows();
  await page.goto(`${app.origin}/quick`);
  await page.getByRole("link", { name: "Keel plate" }).click();
  await page.getByLabel("Station").selectOption("3");
  await page.getByLabel("zero reading").fill("0.04");
  for (const [n, v] of ["45.68", "45.66", "45.12", "45.68", "45.66"].entries()) await page.getByLabel(`disc diameter, ${n + 1}`).fill(v);
  await page.keyboard.press("Tab");
  const advice = page.locator("#advice");
  await advice.getByText("Reading 3 of the disc diameter, 45.12 mm, stands apart").waitFor();
  await advice.getByText("Turn the disc in the jaws and take the largest value").waitFor();
  await page.locator("#quickbar", { hasText: /1 to take again/ }).waitFor();
  await page.getByLabel("disc diameter, 3").fill("45.70");
  await page.keyboard.press("Tab");
  await advice.getByText("nothing stands out").waitFor();
  await page.getByLabel("beside the other teams so far").check();
  await advice.getByText(/beside \d+ tables with the same keys/).waitFor();
  await advice.getByText(/others \d/).first().waitFor();
  assert.equal(await page.evaluate(() => document.documentElement.scrollWidth), 390, "nothing stands outside the page");
  assert.equal(rows(), before, "nothing is stored");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a file of unknown columns is said once, many files come together, and a held row is mended in place", async () => {
  const page = await app.reviewer1();
  const bring = async (paths) => {
    await page.goto(`${app.origin}/intake`);
    await page.locator("#lab").selectOption({ label: "Keel plate" });
    await page.locator("#file").setInputFiles(paths);
    await page.getByRole("button", { name: "Look at it first" }).click();
  };
  const head = "who;length of it;Plate width (mm);station;remarks\n";
  await bring([file("wide.csv", `${head}Golf;84.30;41.92;2;fine\n`)]);
  await page.getByRole("alert").getByText("no column is said to hold the team").waitFor();
  await page.getByLabel("what the column who holds").selectOption("team");
  await page.getByLabel("what the column length of it holds").selectOption("cell:plate_length");
  await page.locator("#allsec").selectOption("Morning");
  await page.getByRole("button", { name: "Read it so" }).click();
  await page.getByRole("row", { name: /Golf Morning/ }).waitFor();
  // The next file with this head asks nothing.
  await bring([file("wide2.csv", `${head}Gannet;84.10;41.90;3;\n`)]);
  await page.getByRole("row", { name: /Gannet Morning/ }).waitFor();
  await page.getByRole("button", { name: "Put aside" }).click();
  // Three files at once, one a torn archive.
  const long = (team, value) => `section,team,station,item,row,value,unit\nMorning,${team},2,plate_length,,${value},mm\n`;
  await bring([file("a.csv", long("Foxtrot", "84.31")), file("b.csv", long("Foxtrot", "84.32")), file("torn.zip", "PK\x03\x04torn")]);
  await page.getByRole("alert").getByText("torn.zip").waitFor();
  await page.getByText("Foxtrot of Morning is in more than one file").waitFor();
  await page.getByRole("button", { name: "Take 2 tables" }).click();
  await page.getByRole("status").getByText("2 revised").waitFor();
  // A picture named after a team goes with its table; one that names none is told.
  const png = Buffer.from("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==", "base64");
  await bring([file("foxtrot-graph.png", png), file("holiday.png", png)]);
  await page.getByRole("status").getByText("foxtrot-graph.png with Foxtrot of Morning").waitFor();
  await page.getByRole("alert").getByText("holiday.png: its name does not say of which team it is").waitFor();
  await bench(page, "keel-plate", "Foxtrot");
  await page.getByRole("link", { name: "foxtrot-graph.png" }).last().waitFor();
  // A held row is mended where it waits.
  await bring([file("held.csv", `section,team,station,item,row,value,unit\nMorning,Alfa,1,plate_length,,85.00,mm\nMorning,Alfa,1,plate_lenght,,84.31,mm\nMorning,Fulmar,4,plate_widht,,41.11,mm\n`)]);
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").getByText("2 rows in quarantine").waitFor();
  await page.goto(`${app.origin}/intake`);
  const row = page.locator("#quarantine tr", { hasText: "plate_width" });
  await row.getByRole("button", { name: "Mend and release" }).click();
  await page.getByRole("alert").getByText("The row still cannot be used").waitFor();
  await page.locator("#quarantine textarea").filter({ hasText: "plate_widht" }).fill("Morning,Fulmar,4,plate_width,,41.11,mm");
  await page.locator("#quarantine tr", { hasText: "plate_width" }).getByRole("button", { name: "Mend and release" }).click();
  await page.waitForFunction(() => document.querySelectorAll("#quarantine tbody tr").length === 1);
  const id = await bench(page, "keel-plate", "Fulmar");
  await page.getByText("41.11").first().waitFor();
  await page.goto(`${app.origin}/bench/${id}/revisions`);
  await page.getByRole("row", { name: /Plate width/ }).getByText("41.11").waitFor();
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("hostile files are refused in a sentence: locked, with macros, unpacking without end", async () => {
  const page = await app.reviewer1();
  const zip = (name, script) => { execFileSync("python3", ["-c", script, join(dir, name)]); return join(dir, name); };
  const bomb = zip("bomb.zip", "import sys,zipfile\nz=zipfile.ZipFile(sys.argv[1],'w',zipfile.ZIP_DEFLATED)\nwith z.open('a.csv','w') as f:\n  [f.write(b'1'*1000000) for _ in range(300)]\nz.close()");
  const macro = zip("macro.xlsm", "import sys,zipfile\nz=zipfile.ZipFile(sys.argv[1],'w')\nz.writestr('xl/workbook.xml','<x/>');z.writestr('xl/vbaProject.bin','x');z.close()");
  const locked = file("locked.xlsx", Buffer.concat([Buffer.from([0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1]), Buffer.alloc(2000)]));
  for (const [path, told] of [[bomb, /unpacks to more than 20 megabytes/], [macro, /holds macros/], [locked, /old or a locked workbook/]]) {
    await page.goto(`${app.origin}/intake`);
    await page.locator("#file").setInputFiles(path);
    await page.getByRole("button", { name: "Look at it first" }).click();
    await page.getByRole("alert").waitFor();
    assert.match(await page.getByRole("alert").textContent(), told);
  }
  // A hundred at once.
  const many = Array.from({ length: 100 }, (_, n) => file(`t${n}.csv`, `section,team,station,item,row,value,unit\nMorning,Alfa,1,zero,,0.0${n % 10},mm\n`));
  await page.goto(`${app.origin}/intake`);
  await page.locator("#lab").selectOption({ label: "Keel plate" });
  await page.locator("#file").setInputFiles(many);
  await page.getByRole("button", { name: "Look at it first" }).click();
  await page.getByText(/Alfa of Morning is in more than one file/).first().waitFor();
  await page.context().close();
});

test("a paper sheet is typed off twice, the differences are shown, and it goes in", async () => {
  const page = await app.reviewer1();
  await page.goto(`${app.origin}/intake`);
  await page.locator("#plab").selectOption({ label: "Keel plate" });
  await page.getByRole("button", { name: "Type a sheet off" }).click();
  await page.waitForURL("**/entry?**");
  await page.getByLabel("Team").selectOption("Curlew");
  await page.getByLabel("Station").selectOption("3");
  const type = async (length) => {
    // Nobody types within the moment in which a page that was just brought in settles.
    await page.waitForFunction(() => !document.querySelector(".htmx-request, .htmx-swapping, .htmx-settling, .htmx-added"));
    // The number pad's Enter goes from box to box.
    await page.getByLabel("zero reading").focus();
    await page.keyboard.type("0.02");
    await page.keyboard.press("Enter");
    await page.keyboard.type(length);
    await page.keyboard.press("Enter");
    await page.keyboard.type("41.92");
  };
  await type("84.30");
  await page.getByRole("button", { name: "Type it a second time" }).click();
  await page.getByRole("heading", { name: "Once more" }).waitFor();
  await page.getByLabel("Station").selectOption("3");
  await type("84.03");
  await page.getByRole("button", { name: "Go on" }).click();
  await page.getByRole("alert").getByText("The two typings differ in 1 cell").waitFor();
  assert.match(await page.getByRole("alert").textContent(), /84\.30.*84\.03/s);
  await page.getByLabel("plate length").fill("84.30");
  await page.getByRole("button", { name: "Go on" }).click();
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").waitFor();
  await bench(page, "keel-plate", "Curlew");
  await page.getByText("84.30").first().waitFor();
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a section's settings show what they would change before they are applied, and keep their history", async () => {
  const page = await app.coordinator();
  await page.goto(`${app.origin}/sections`);
  await page.locator("section", { has: page.getByRole("heading", { name: /^Morning/ }) }).getByRole("link", { name: "Keel plate" }).click();
  await page.getByLabel("Percent error (plate)").fill("not asked of this watch");
  await page.getByLabel("Shown working").check();
  await page.getByRole("button", { name: "What would change?" }).click();
  await page.locator("#would").getByText("Nothing is applied yet").waitFor();
  assert.match(await page.locator("#would").textContent(), /14 tables would change.*Shown working/s);
  assert.equal(sql("SELECT COUNT(*) FROM section_labs", app.database).trim(), "0");
  await page.getByRole("button", { name: "Set it" }).click();
  await page.getByRole("alert").getByText("Write the reason").waitFor();
  assert.equal(await page.getByLabel("Percent error (plate)").inputValue(), "not asked of this watch");
  assert.ok(await page.getByLabel("Shown working").isChecked(), "what was ticked stays ticked");
  await page.getByLabel("Reason, kept in the history").fill("the reference was not handed out");
  await page.getByRole("button", { name: "Set it" }).click();
  await page.getByText("the reference was not handed out").waitFor();
  assert.equal(sql("SELECT COUNT(*) FROM section_lab_history", app.database).trim(), "1");
  // The roster: students of teams; one in two places is refused with the line.
  await page.goto(`${app.origin}/sections`);
  await page.getByLabel("Paste the lines of a CSV file").fill("section,team,number,name\nMorning,Alfa,T1,A. Teal\nMorning,Bittern,T1,A. Teal\n");
  await page.getByRole("button", { name: "Take the roster" }).click();
  await page.getByRole("alert").getByText("T1 is in Bittern in Morning here and in Alfa in Morning on line 2").waitFor();
  await page.getByLabel("Paste the lines of a CSV file").fill("section,team,number,name\nMorning,Alfa,T1,A. Teal\nMorning,Alfa,T2,=B. Wigeon\n");
  await page.getByRole("button", { name: "Take the roster" }).click();
  await page.getByRole("status").getByText("2 students are new").waitFor();
  // What a person judges by has the picture beside its levels.
  await bench(page, "keel-plate", "Curlew");
  const png = Buffer.from("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==", "base64");
  const manual = page.locator(".fd", { hasText: /shown working/i }).locator("a.pn");
  await manual.click();
  await page.locator(".fd.now .beside").getByText("Nothing lies with this table").waitFor();
  await page.locator("#attfile").setInputFiles(file("working.png", png));
  await page.getByRole("button", { name: "Put it with the table" }).click();
  await page.locator(".fd", { hasText: /shown working/i }).locator("a.pn").click();
  await page.locator(".fd.now .beside img[alt='working.png']").waitFor();
  assert.ok(await page.locator(".fd.now .levels button").count() >= 2);
  await page.context().close();
});

test("a station sheet is changed in the protocol's text, with a look at what would change, as a new version", async () => {
  const page = await app.coordinator();
  const reviewer = await app.reviewer1();
  const lab = sql("SELECT id FROM labs WHERE slug='keel-plate'", app.database).trim();
  assert.equal((await reviewer.goto(`${app.origin}/protocols/${lab}/edit`)).status(), 403);
  await reviewer.context().close();
  await page.goto(`${app.origin}/protocols/${lab}`);
  await page.getByRole("link", { name: "Change its text…" }).click();
  const box = page.locator("#source");
  const text = await box.inputValue();
  await box.fill(text.replace("version = 3", "version = 4").replace(/title = "Digits"/, "titel = \"Digits\""));
  // It is checked as it is typed, and whoever types goes on typing; a fault leads to its place.
  await page.locator("#checked").getByText("1 fault").waitFor();
  assert.equal(await page.evaluate(() => document.activeElement.id), "source");
  await page.locator("#checked a").click();
  assert.equal(await page.evaluate(() => { const b = document.activeElement; return b.value.slice(b.selectionStart).split("\n")[0].includes("titel"); }), true);
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("It cannot be put in force yet").waitFor();
  await page.locator("#checked a", { hasText: /line \d+, column \d+/ }).first().waitFor();
  const changed = text.replace(/rule = "digits"\neach = "0\.25"/, 'rule = "digits"\neach = "0.5"');
  assert.notEqual(changed, text);
  await settled(page);
  await box.fill(changed);
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("Count the version up: 3 is in force").waitFor();
  // The instructor's run has to come out clean by the text that is put in force.
  const unclean = changed.replace("version = 3", "version = 4").replace('plate_density = "2.6992', 'plate_density = "3.6992');
  await settled(page);
  await box.fill(unclean);
  await page.locator("#checked").getByText("does not come out clean").first().waitFor();
  await page.getByLabel("Reason").fill("a run that is wrong");
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.getByRole("alert").getByText("The instructor’s run does not come out clean: see below").waitFor();
  await box.fill(changed.replace("version = 3", "version = 4"));
  await page.locator("#checked").getByText("It reads as Keel plate, version 4").waitFor();
  // Tried on one table, beside the text: what it would come to.
  await page.locator("#trial").selectOption({ index: 1 });
  await page.locator("#checked").getByText(/becomes|as before/).first().waitFor();
  assert.match(await page.locator("#checked").textContent(), new RegExp((await page.locator("#trial option:checked").textContent()).trim()));
  await page.getByRole("button", { name: "What would change?" }).click();
  await page.locator("#would").getByText(/\d+ tables? would change/).waitFor();
  assert.match(await page.locator("#would").textContent(), /Digits: /);
  assert.equal(sql("SELECT COUNT(*) FROM protocols WHERE slug='keel-plate'", app.database).trim(), "1", "nothing is applied by looking");
  await page.getByLabel("Reason").fill("the digits were weighed too little");
  await page.getByRole("button", { name: "Put it in force" }).click();
  await page.waitForURL(`**/protocols/${lab}`);
  await page.getByText("version 4", { exact: false }).first().waitFor();
  // Who did it and why stands below, and the one before can be put in force again, for a reason.
  const versions = page.locator("#versions");
  await versions.getByText("“the digits were weighed too little”").first().waitFor();
  await versions.getByText("Put in force again").click();
  await versions.getByLabel("Reason").fill("it was right before");
  await versions.getByRole("button", { name: "Judge by version 3 again" }).click();
  await page.locator("#would").getByText(/tables? would change/).waitFor();
  await page.getByRole("button", { name: "Judge by version 3 again" }).click();
  await page.locator(".title").getByText("version 3").waitFor();
  await versions.getByText("“it was right before”").first().waitFor();
  await versions.getByText("Put in force again").click();
  await versions.getByLabel("Reason").fill("no, it was not");
  await versions.getByRole("button", { name: "Judge by version 4 again" }).click();
  await page.locator("#would").getByText(/tables? would change/).waitFor();
  await page.getByRole("button", { name: "Judge by version 4 again" }).click();
  await page.locator(".title").getByText("version 4").waitFor();
  assert.equal(sql("SELECT COUNT(*) FROM protocols WHERE slug='keel-plate'", app.database).trim(), "2", "the one before is kept");
  await page.context().close();
});

test("marks go out per student as CSV, XLSX and ODS; a lab as a package that comes back as it went", async () => {
  const page = await app.coordinator();
  await bench(page, "keel-plate", "Alfa");
  for (let n = 0; n < 12 && (await page.locator("[data-finding]:not(.set)").count()) > 0; n += 1) {
    const open = await page.locator("[data-finding]:not(.set)").count();
    await page.keyboard.press((await page.locator(".fd.now .levels").count()) > 0 ? "1" : "Enter");
    await page.waitForFunction((was) => document.querySelectorAll("[data-finding]:not(.set)").length < was, open);
  }
  await page.keyboard.press(" ");
  await page.waitForFunction(() => document.querySelector("h1").textContent !== "Alfa");
  await page.goto(`${app.origin}/returns`);
  await page.getByRole("link", { name: "Keel plate" }).first().click();
  await page.getByRole("link", { name: /^Return 1 signed/ }).click();
  await page.getByRole("button", { name: /Return them/ }).click();
  await page.getByText("1 returned").first().waitFor();
  const download = async (name) => {
    const [d] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name, exact: true }).click()]);
    return readFileSync(await d.path());
  };
  const csv = String(await download("CSV")).trim().split("\r\n");
  // Two are of the demo, two came with the roster.
  assert.equal(csv.length, 5, "a line for each student of the team");
  assert.match(csv.find((l) => l.includes(",T2,")), /^Morning,Alfa,T2,'=B\. Wigeon,keel-plate,4,/);
  assert.equal((await download("XLSX")).subarray(0, 2).toString(), "PK");
  assert.equal((await download("ODS")).subarray(0, 2).toString(), "PK");
  // Reopened and changed: the next return says what changed.
  await bench(page, "keel-plate", "Alfa");
  await page.keyboard.press("e");
  await page.getByLabel("Points to award").fill("1");
  await page.locator("#linereason").fill("looked at again");
  await page.getByRole("button", { name: "Change", exact: true }).click();
  await page.locator(".score .chg", { hasText: "looked at again" }).waitFor();
  await page.keyboard.press(" ");
  await page.waitForFunction(() => document.querySelector("h1").textContent !== "Alfa");
  await page.goto(`${app.origin}/returns/release`);
  await page.getByRole("row", { name: /Alfa/ }).getByText(/: 1 in place of/).waitFor();
  // The package of a lab, brought back, is what is in already.
  await page.goto(`${app.origin}/returns`);
  await page.getByRole("link", { name: "Beacon timer" }).first().click();
  const [pack] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "Beacon timer as a data package" }).click()]);
  const path = join(dir, "beacon-timer-data.zip");
  await pack.saveAs(path);
  await page.goto(`${app.origin}/intake`);
  await page.locator("#lab").selectOption({ label: "Beacon timer" });
  await page.locator("#file").setInputFiles(path);
  await page.getByRole("button", { name: "Look at it first" }).click();
  await page.getByRole("button", { name: "Take 84 tables" }).click();
  await page.getByRole("status").getByText("Tables: 84 unchanged").waitFor();
  await page.context().close();
});
