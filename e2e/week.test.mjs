// A whole week: students hand in by phone and are told of what is missing; reviewers clear the evening with a ruling; marks go
// out; a student asks about a line and is answered; the marks arrive once in the gradebook although it fails.
import assert from "node:assert/strict";
import { spawn } from "node:child_process";
import { createServer } from "node:net";
import { after, before, test } from "node:test";
import { binary, settled, sql, startApp } from "./app.mjs";

let app, gradebook, place;
const query = (text) => sql(text, app.database).trim();
const phone = { viewport: { width: 390, height: 844 } };

const freePort = () => new Promise((resolve) => {
  const server = createServer();
  server.listen(0, "127.0.0.1", () => { const { port } = server.address(); server.close(() => resolve(port)); });
});

before(async () => {
  app = await startApp("week", { labs: ["keel-plate"] });
  const port = await freePort();
  place = `http://127.0.0.1:${port}`;
  gradebook = spawn(binary, ["stand-in", "gradebook", "--port", String(port), "--fail", "2", "--lose", "1"], { stdio: ["ignore", "pipe", "inherit"] });
  await new Promise((resolve) => gradebook.stdout.once("data", resolve));
});
after(async () => { gradebook?.kill(); await app?.stop(); });

test("a week, from the sheet on a phone to the mark in the gradebook", async () => {
  const lab = query("SELECT id FROM labs WHERE slug = 'keel-plate'");
  const chief = await app.coordinator();
  await chief.goto(`${app.origin}/sections/${query("SELECT id FROM sections WHERE term_id = 0 AND name = 'Morning'")}/codes`);
  await chief.getByRole("button", { name: "Make all anew" }).click();
  await chief.locator(".cards li").first().waitFor();
  const codes = Object.fromEntries((await chief.locator(".cards li").allTextContents()).map((c) => c.trim().split(/\s+/).slice(0, 2)));

  // Two students of a team, on a phone: three gaps are told, two are mended and one is explained.
  const team = "Curlew";
  const page = await app.page(phone);
  await page.goto(`${app.origin}/hand-in/with/${codes[team]}`);
  await page.getByRole("button", { name: "Come in" }).click();
  await page.getByRole("link", { name: /Keel plate/ }).first().click();
  const box = (name) => page.getByLabel(name, { exact: true });
  await box("plate mass").fill("");
  await box("plate width").fill("4l.92");
  await box("plate length").fill("");
  await page.getByRole("button", { name: "Save, and look at it" }).click();
  await page.locator(".tell").nth(2).waitFor();
  assert.equal(await page.locator(".tell").count(), 3);
  await box("plate mass").fill("81.80");
  await box("plate width").fill("41.92");
  await page.locator("[id=\"w.plate_length\"]").fill("the caliper was at the next bench");
  await page.getByRole("button", { name: /^Hand in/ }).click();
  await page.waitForURL(/\/receipt$/);

  // The evening: what several tables wait for alike is one ruling; then each reviewer decides what is left and signs.
  const first = await app.reviewer1();
  const open = () => Number(query(`SELECT SUM(open_findings) FROM sheets WHERE lab_id = ${lab} AND stage IS NOT NULL AND term_id = 0`));
  const before = open();
  const slip = query("SELECT s.id FROM sheets s JOIN sections x ON x.id = s.section_id WHERE s.stage = 0 AND s.mark = 'slip' AND x.name = 'Morning' ORDER BY s.id LIMIT 1");
  await first.goto(`${app.origin}/bench/${slip}`);
  await first.keyboard.press("r");
  await first.getByRole("heading", { name: "The same for all like it" }).waitFor();
  await first.locator("label", { hasText: "any slip" }).click();
  await first.locator(".pattern", { hasText: "has any slip" }).waitFor();
  await first.getByLabel(/^Because/).fill("The sheet of that station was misprinted.");
  await first.keyboard.press("Enter");
  await first.getByText(/is in force/).waitFor();
  assert.ok(open() < before, `a ruling settles several: ${before} → ${open()}`);
  // What looks clear by now is signed as one lot.
  await first.goto(`${app.origin}/docket/clear`);
  await first.getByRole("button", { name: /^Sign/ }).click();
  await first.waitForURL(/\/docket$/);
  const theirs = query(`SELECT s.id FROM sheets s JOIN teams t ON t.id = s.team_id JOIN sections x ON x.id = s.section_id WHERE x.name = 'Morning' AND x.term_id = 0 AND t.name = '${team}' AND s.lab_id = ${lab}`);
  await first.goto(`${app.origin}/bench/${theirs}`);
  await first.getByText("the caliper was at the next bench").first().waitFor();
  const state = () => query(`SELECT state FROM sheets WHERE id = ${theirs}`);
  for (let n = 0; n < 40 && state() !== "signed"; n++) {
    await first.goto(`${app.origin}/bench/${theirs}`);
    await settled(first);
    // What is open is taken as proposed; then the same key signs.
    const left = query(`SELECT open_findings FROM sheets WHERE id = ${theirs}`);
    await first.keyboard.press(left === "0" ? " " : "Enter");
    await app.until(() => state() === "signed" || query(`SELECT open_findings FROM sheets WHERE id = ${theirs}`) !== left);
  }

  // Marks go out, to the teams and to the gradebook.
  await chief.goto(`${app.origin}/returns/gradebook`);
  await chief.getByLabel(/^Address/).fill(place);
  await chief.getByLabel(/^Token/).fill("made up");
  await chief.getByRole("button", { name: "Set it" }).click();
  await chief.getByText("What went out is sent within seconds").waitFor();
  await chief.goto(`${app.origin}/returns/release?lab=${lab}`);
  await chief.locator("main form button.btn-take").click();
  await chief.waitForURL(/\/returns\?/);

  // A student reads the sheet and asks; the answer comes back beside the line.
  await page.goto(`${app.origin}/hand-in`);
  await page.getByRole("link", { name: /Keel plate/ }).first().click();
  await page.getByRole("heading", { name: "Step by step" }).waitFor();
  const line = page.locator(".score tr").nth(1);
  await line.locator(".ask summary").click();
  await line.getByLabel(/What would you like to know/).fill("is the missing length the whole of it?");
  await line.getByRole("button", { name: "Ask your reviewer" }).click();
  await page.locator(".thread").waitFor();
  await first.goto(`${app.origin}/docket`);
  await first.locator(".askers a").first().click();
  await first.getByLabel(/^Answer/).fill("What you did from the other readings is right. The length was missing.");
  await first.getByRole("button", { name: "Answer" }).click();
  await first.getByText("Nobody waits for an answer.").waitFor();
  await page.reload();
  await page.locator(".thread.answered").waitFor();

  // Each mark is there once, although the gradebook failed twice and lost an answer.
  const wanted = Number(query(`SELECT COUNT(*) FROM students st JOIN sheets s ON s.team_id = st.team_id WHERE s.returns > 0 AND s.term_id = 0 AND st.term_id = 0 AND st.left_at IS NULL`));
  assert.ok(wanted > 0);
  await app.until(() => Number(query("SELECT COUNT(*) FROM outbox WHERE state = 'sent'")) === wanted, 60);
  const changes = await (await fetch(`${place}/changes`)).json();
  assert.equal(changes.length, wanted);
  assert.equal(new Set(changes.map((c) => `${c.column} ${c.student}`)).size, wanted);
  assert.ok(Number(query("SELECT SUM(tries) FROM outbox")) >= wanted + 3, "it failed before");
  await chief.goto(`${app.origin}/returns/gradebook/compare`);
  await chief.getByText(`${wanted} the same on both sides`).waitFor();
  await Promise.all([page, first, chief].map((p) => p.context().close()));
});
