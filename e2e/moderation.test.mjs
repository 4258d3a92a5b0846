// Moderation in the browser: rows that are read first by the one they are about, and a second mark from the draw to the plot.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";
import { decide, markAgain, signedIn } from "./deciding.mjs";

let app;
before(async () => { app = await startApp("moderation", { labs: ["keel-plate", "fog-pipe"] }); });
after(() => app?.stop());
const query = (text) => sql(text, app.database).trim();
const tables = (section) => query(`SELECT s.id FROM sheets s JOIN sections x ON x.id=s.section_id WHERE s.stage IS NOT NULL AND x.name='${section}' ORDER BY s.id`).split("\n");

test("what a reviewer changed is read by them first, then by others, as a chart and as a table", async () => {
  const [one, two] = [await signedIn(app, "reviewer1"), await signedIn(app, "reviewer2")];
  let n = 0;
  for (const id of tables("Morning")) await decide(one, id, () => (n++ % 3 ? { action: "accept" } : { action: "forgive", reason: "looked at" }));
  for (const id of tables("Evening")) await decide(two, id, () => ({ action: "accept" }));
  const chief = await app.coordinator();
  await chief.goto(`${app.origin}/docket`);
  await chief.keyboard.press("g");
  await chief.keyboard.press("m");
  await chief.getByRole("heading", { name: "Moderation", exact: true }).waitFor();
  assert.equal(await chief.getByText("is read first by the one it is about").count(), 2, "both reviewers read first");
  await chief.getByText("Open a round, ask for second marks").click();
  await chief.getByRole("button", { name: "Open a round" }).click();
  await chief.getByText("A round is open").waitFor();
  const page = await app.reviewer1();
  await page.goto(`${app.origin}/moderation`);
  await page.locator("svg", { hasText: "Morning" }).first().waitFor();
  assert.equal(await page.getByText("is read first by the one it is about").count(), 1, "the other one's rows alone are closed");
  await page.getByLabel(/Your word on your own rows/).fill("Station 3 flickers.");
  await page.getByRole("button", { name: "I have read them" }).click();
  await page.getByText("Others may see your rows now").waitFor();
  await chief.goto(`${app.origin}/moderation`);
  await chief.getByText("“Station 3 flickers.”").waitFor();
  assert.equal(await chief.getByText("is read first by the one it is about").count(), 1);
  await chief.keyboard.press("v");
  const row = chief.getByRole("row", { name: /Reviewer 1 Morning/ });
  await row.waitFor();
  const sum = Number(query("SELECT SUM(decided - awarded) / COUNT(*) FROM sheets s JOIN sections x ON x.id=s.section_id WHERE s.stage IS NOT NULL AND x.name='Morning'"));
  const told = (await row.getByRole("cell").last().textContent()).trim();
  assert.ok(sum > 0 && told.startsWith(`+${sum.toFixed(2)} ±`), `${told} for a mean of ${sum}`);
  await Promise.all([chief, page].map((p) => p.context().close()));
});

test("a table drawn for a second mark is decided blind, in the browser, and eight make a sentence", async () => {
  const chief = await app.coordinator();
  await chief.goto(`${app.origin}/moderation`);
  await chief.getByText("Open a round, ask for second marks").click();
  await chief.getByLabel("Tables at random").fill("9");
  await chief.getByLabel(/Tables that hang/).fill("1");
  await chief.getByRole("button", { name: "Draw them" }).click();
  await chief.getByText(/second marks asked for/).waitFor();
  const page = await app.reviewer2();
  await page.goto(`${app.origin}/moderation`);
  await page.getByRole("link", { name: /^A table of/ }).first().click();
  await page.getByRole("heading", { name: "A second mark" }).waitFor();
  const id = Number(new URL(page.url()).pathname.split("/").pop());
  const [team, sheet] = query(`SELECT t.name, m.sheet_id FROM second_marks m JOIN sheets s ON s.id=m.sheet_id JOIN teams t ON t.id=s.team_id WHERE m.id=${id}`).split("\t");
  assert.ok(!(await page.locator("main").textContent()).includes(team), "whose table it is stands nowhere");
  const choices = page.locator(".secondmark select");
  const count = await choices.count();
  for (let n = 0; n < count; n++) await choices.nth(n).selectOption("accept");
  // What was chosen stays while another finding is looked at on the board.
  if (count > 0 && (await page.locator(".board a.pn").count()) > 0) {
    await page.locator(".board a.pn").first().click();
    await page.waitForURL(/\?f=/);
    await page.waitForFunction(() => document.querySelector(".secondmark select").value === "accept");
  }
  const before = query(`SELECT version, decided FROM sheets WHERE id=${sheet}`);
  await page.getByRole("button", { name: "Keep this mark" }).click();
  await page.getByText("Your mark is kept beside the first").waitFor();
  assert.equal(query(`SELECT version, decided FROM sheets WHERE id=${sheet}`), before, "the team’s sheet is as it was");
  for (const name of ["reviewer1", "reviewer2"]) {
    const who = await signedIn(app, name);
    const mine = query(`SELECT id FROM second_marks WHERE marked_at IS NULL AND user_id=(SELECT id FROM users WHERE sign_in='${name}')`).split("\n").filter(Boolean);
    for (const one of mine) { const a = await markAgain(who, `/second/${one}`, () => "accept"); assert.equal(a.status(), 303, `${one}: ${/role="alert"[^>]*>\s*<p>([^<]*)/.exec(await a.text())?.[1]}`); }
  }
  await chief.goto(`${app.origin}/moderation`);
  await chief.getByText(/Two people who did not see each other’s marks differed by/).waitFor();
  const [mean] = query("SELECT ROUND(AVG(second_points - first_points), 2) FROM second_marks WHERE at_random AND marked_at IS NOT NULL").split("\t");
  const said = await chief.getByText(/Two people who did not see/).textContent();
  assert.ok(said.includes(`${Math.abs(Number(mean)).toFixed(2)} points`), `${said} for a mean of ${mean}`);
  await Promise.all([chief, page].map((p) => p.context().close()));
});
