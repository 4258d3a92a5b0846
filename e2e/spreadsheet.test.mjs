// A team works in the spreadsheet that it hands in: it is told at the door what its formulas lack, and the reviewer sees on the Bench
// what differs from the lab's.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";

let app, dir;
before(async () => {
  app = await startApp("spreadsheet", { labs: ["keel-plate"] });
  dir = mkdtempSync(join(tmpdir(), "sheets-"));
});
after(async () => {
  await app?.stop();
  rmSync(dir, { recursive: true, force: true });
});
const query = (text) => sql(text, app.database).trim();
const READINGS = {
  zero: ["0.00"], plate_length: ["84.30"], plate_width: ["41.78"], plate_thickness: ["12.06"], plate_mass: ["114.42"],
  disc_diameter: ["50.02", "50.04", "50.00", "50.06", "50.02"], disc_thickness: ["10.02", "10.04", "10.00", "10.02", "10.06"], disc_mass: ["175.23"],
  rod_main: ["93"], rod_line: ["22"], rod_diameter: ["20.02", "20.04", "20.02", "20.00", "20.02"], rod_mass: ["205.45"],
};

/** The lab's own data sheet, filled in by a team. */
async function filled(page, team, results) {
  const lab = query("SELECT id FROM labs WHERE slug = 'keel-plate'");
  const answer = await page.request.get(`${app.origin}/protocols/${lab}/sheet/ods`);
  const blank = join(dir, "blank.ods");
  writeFileSync(blank, await answer.body());
  const path = join(dir, `${team}.ods`);
  execFileSync("python3", ["e2e/fill_sheet.py", blank, path, JSON.stringify({ section: ["Morning"], team: [team], ...READINGS, ...results })]);
  return path;
}

const sheet = (team) => query(`SELECT s.id FROM sheets s JOIN teams t ON t.id = s.team_id JOIN sections x ON x.id = s.section_id WHERE s.stage IS NOT NULL AND x.name = 'Morning' AND t.name = '${team}'`);

test("the formula under a result stands on the Bench with what differs, and what follows from it is cleared", async () => {
  const page = await app.coordinator();
  // The diameter is taken for the radius; the density follows rightly from it.
  const mean = (texts) => texts.reduce((sum, t) => sum + Number(t), 0) / texts.length;
  const plate = (84.3 * 41.78 * 12.06) / 1000;
  const [across, thick] = [mean(READINGS.disc_diameter), mean(READINGS.disc_thickness)];
  const disc = (Math.PI * across ** 2 * thick) / 1000;
  const path = await filled(page, "Curlew", {
    plate_volume: ["=L*W*T/1000", String(plate)], plate_density: ["=plate_mass/V_p", String(114.42 / plate)],
    disc_diameter_mean: ["=AVERAGE(disc_diameter)", String(across)], disc_thickness_mean: ["=AVERAGE(disc_thickness)-z", String(thick)],
    disc_volume: ["=PI()*D_disc^2*disc_thickness_mean/1000", String(disc)], disc_density: ["=m_d/V_d", String(175.23 / disc)],
  });
  await page.goto(`${app.origin}/intake`);
  await page.locator("#lab").selectOption({ label: "Keel plate" });
  await page.locator("#file").setInputFiles(path);
  await page.getByRole("button", { name: "Look at it first" }).click();
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").getByText("1 revised").waitFor();
  await page.goto(`${app.origin}/bench/${sheet("Curlew")}`);
  await page.locator("li.fd", { hasText: "the mean diameter was used as the radius" }).first().locator("a.pn").click();
  await page.getByText("its formula shows it").first().waitFor();
  const under = page.locator(".under");
  await under.getByText("what differs is marked").waitFor();
  assert.deepEqual(await under.locator("mark").allTextContents(), ["D_disc"]);
  assert.equal(await under.locator("code").first().textContent(), "=PI()*D_disc^2*disc_thickness_mean/1000");
  assert.ok(await under.locator("math .differs").count() > 0, "the drawing marks it too");
  assert.ok(await page.locator(".rep .read").count() >= 2, "the results that it reads are underlined");
  await page.getByRole("link", { name: "before" }).click();
  await page.locator(".under").getByText("is the lab’s formula").waitFor();
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("at the door a team is told what its formulas lack, and nothing of what is right", async () => {
  const chief = await app.coordinator();
  const path = await filled(chief, "Golf", {
    plate_volume: ["=L*W*T/Z99", "#DIV/0!"], plate_density: ["=plate_mass*V_p", "4860.0"], disc_diameter_mean: ["=AVERAGE(disc_diameter)", "51.2"],
  });
  await chief.goto(`${app.origin}/sections`);
  await chief.locator("section", { has: chief.getByRole("heading", { name: /^Morning/ }) }).getByRole("link", { name: /^codes to hand in with/ }).click();
  await chief.getByRole("button", { name: "Make all anew" }).click();
  const card = await chief.locator(".cards li", { hasText: "Golf" }).textContent();
  const page = await app.page({ viewport: { width: 390, height: 844 } });
  await page.goto(`${app.origin}/hand-in/with/${card.trim().split(/\s+/)[1]}`);
  await page.getByRole("button", { name: "Come in" }).click();
  await page.getByRole("link", { name: /Keel plate/ }).first().click();
  await page.getByRole("heading", { name: "Keel plate" }).waitFor();
  await page.goto(`${page.url().split("#")[0]}/files`);
  await page.locator("#sheetfile").setInputFiles(path);
  await page.getByRole("button", { name: "Read it" }).click();
  const told = page.locator(".toldlist");
  await told.getByText("Z99, which is empty").waitFor();
  await told.getByText("Your cell D22 holds 51.2, which its formula does not give").waitFor();
  assert.doesNotMatch(await page.locator("main").textContent(), /is the lab’s|stands where|multiplied/, "nothing of what is right is told");
  await page.getByRole("button", { name: /^Hand in/ }).first().click();
  await page.waitForURL(/\/receipt$/);
  await chief.goto(`${app.origin}/bench/${sheet("Golf")}`);
  await chief.getByText("gives #DIV/0!").first().waitFor();
  assert.deepEqual(page.faults, []);
  await Promise.all([page, chief].map((p) => p.context().close()));
});
