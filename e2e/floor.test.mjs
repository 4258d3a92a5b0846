// The Floor by keyboard: what one station has of its own, a ruling and a note from it, who may see what.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("floor", { labs: ["keel-plate", "beacon-timer", "hatch-ram", "rust-iron"] }); });
after(() => app?.stop());
const query = (text) => sql(text, app.database).trim();
const lab = (slug) => query(`SELECT id FROM labs WHERE slug='${slug}'`);

test("a fault of one station is named, noted for the storeroom and ruled on, from the keyboard", async () => {
  const page = await app.coordinator();
  await page.goto(`${app.origin}/docket`);
  await page.keyboard.press("g");
  await page.keyboard.press("f");
  await page.getByRole("heading", { name: "Floor", exact: true }).waitFor();
  await page.goto(`${app.origin}/floor/${lab("beacon-timer")}`);
  await page.locator(".once p", { hasText: "22 of 22 tables of station 2, 0 of 62 elsewhere" }).waitFor();
  await page.keyboard.press("w");
  await page.locator("textarea:focus").waitFor();
  await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
  await page.getByText("Noted for the storeroom").waitFor();
  await page.goto(`${app.origin}/floor/storeroom`);
  await page.getByText(/Beacon timer, station 2/).waitFor();
  await page.getByRole("button", { name: "Seen to" }).click();
  await page.getByText("Nothing waits for the storeroom.").waitFor();
  assert.equal(query("SELECT COUNT(*) FROM storeroom_notes WHERE done_at IS NOT NULL"), "1");
  await page.goto(`${app.origin}/floor/${lab("beacon-timer")}`);
  await page.keyboard.press("r");
  await page.locator(".pattern", { hasText: "at station 2" }).waitFor();
  const tally = (await page.locator(".tally").textContent()).replace(/\s+/g, " ");
  assert.match(tally, /22 (are|is) settled/, "the ruling is kept to the station");
  await page.context().close();
});

test("a section that was taught otherwise is one ruling, and the queue of the lab is shorter by it", async () => {
  const page = await app.coordinator();
  const waits = () => Number(query(`SELECT COUNT(*) FROM sheets WHERE stage = 0 AND lab_id = ${lab("rust-iron")}`));
  const before = waits();
  await page.goto(`${app.origin}/floor/${lab("rust-iron")}`);
  await page.getByText("14 of 14 tables of watch Last Dog, 0 of 70 elsewhere").waitFor();
  await page.keyboard.press("r");
  await page.locator(".pattern", { hasText: "in Last Dog" }).waitFor();
  // It may be taken as what the watch was taught: its tables are judged by it, and the others are not.
  await page.locator("label", { hasText: "it is what the watch was taught" }).click();
  await page.locator(".pattern", { hasText: "is judged by another formula" }).waitFor();
  assert.match((await page.locator(".tally").textContent()).replace(/\s+/g, " "), /14 tables 14 are judged otherwise \+/);
  await page.locator("label", { hasText: "it costs nothing" }).click();
  await page.locator(".pattern", { hasText: "it costs nothing" }).waitFor();
  await page.getByLabel(/^Because/).fill("This watch was shown one pipette.");
  await page.keyboard.press("Enter");
  await page.getByText(/is in force: 14 tables changed/).waitFor();
  assert.ok(before - waits() >= 10, `${before} waited, now ${waits()}`);
  await page.context().close();
});

test("by any key, with groups taken out, as a table and as a file; a point leads to its table", async () => {
  const page = await app.coordinator();
  const keel = lab("keel-plate");
  await page.goto(`${app.origin}/floor/${keel}`);
  await page.getByRole("link", { name: "rod", exact: true }).click();
  await page.getByRole("heading", { name: "Teams by rod" }).waitFor();
  await page.keyboard.press("x");
  await page.locator(".tog .on", { hasText: "groups taken out" }).waitFor();
  const heading = page.locator(".title p");
  const [first] = [await heading.textContent()];
  await page.keyboard.press("]");
  await page.waitForFunction((t) => document.querySelector(".title p")?.textContent !== t, first);
  await page.goto(`${app.origin}/floor/${keel}?find=Lapw`);
  assert.equal(await page.locator(".ringed").count(), 1, "one team is ringed");
  await page.locator("svg[data-item] a").first().focus();
  await page.keyboard.press("Enter");
  await page.waitForURL(/\/bench\/\d+/);
  await page.goto(`${app.origin}/floor/${keel}`);
  await page.getByRole("link", { name: "as a table" }).click();
  await page.locator("tbody tr").nth(80).waitFor();
  const rows = await page.locator("tbody tr").count();
  const file = await page.request.get(`${app.origin}/floor/${keel}/points.csv`);
  const lines = (await file.text()).trim().split("\n");
  assert.equal(lines.length, rows + 1, "a line a team and the head");
  assert.match(lines[0], /^section,team,station,plate_density,/);
  await page.goto(`${app.origin}/floor/${keel}/wall`);
  const wall = await page.locator("svg.wall").innerHTML();
  assert.ok(!/bench|refl|Lapwing/.test(wall), "no names, no right value");
  await page.goto(`${app.origin}/floor/${lab("hatch-ram")}/shared`);
  await page.getByText(/24 of 24 readings alike/).waitFor();
  await page.goto(`${app.origin}/floor/${keel}/start`);
  await page.getByText(/^Density \(disc\): one figure or two for the ±/).waitFor();
  await page.context().close();
});

test("a reviewer sees every place and the names of own teams alone", async () => {
  const page = await app.reviewer1();
  await page.goto(`${app.origin}/floor/${lab("keel-plate")}/table`);
  const rows = await page.locator("tbody tr").allTextContents();
  assert.ok(rows.length > 80, `${rows.length} teams of all sections`);
  const own = ["Morning", "Forenoon", "Afternoon"];
  for (const row of rows) assert.ok(own.some((s) => row.includes(s)) !== row.includes("a team"), row);
  assert.ok(rows.some((r) => r.includes("a team")) && rows.some((r) => r.includes("Lapwing")));
  await page.context().close();
});
