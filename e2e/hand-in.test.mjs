// A team at the door with a phone: told of its sheet in its own place, it mends, says why, hands in, and keeps its receipt.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { passwords, sql, startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("hand_in", { labs: ["keel-plate"] }); });
after(() => app?.stop());
const query = (text) => sql(text, app.database).trim();
const phone = { viewport: { width: 390, height: 844 } };

/** The codes of a section, made anew, by team. */
async function codes(section) {
  const page = await app.coordinator();
  await page.goto(`${app.origin}/sections`);
  await page.locator("section", { has: page.getByRole("heading", { name: new RegExp(`^${section}`) }) }).getByRole("link", { name: /^codes to hand in with/ }).click();
  await page.getByRole("button", { name: "Make all anew" }).click();
  await page.locator(".cards li").nth(13).waitFor();
  const cards = await page.locator(".cards li").allTextContents();
  await page.context().close();
  return Object.fromEntries(cards.map((c) => c.trim().split(/\s+/).slice(0, 2)));
}

test("three gaps are told on a phone, two are mended, one is explained, and the reviewer reads it", async () => {
  const code = (await codes("Morning")).Curlew;
  const page = await app.page(phone);
  await page.goto(`${app.origin}/hand-in/with/${code}`);
  await page.getByRole("button", { name: "Come in" }).click();
  await page.getByRole("link", { name: /Keel plate/ }).first().click();
  await page.getByRole("heading", { name: "Keel plate" }).waitFor();
  const before = query("SELECT COUNT(*) FROM submissions");
  await page.getByLabel("plate mass", { exact: true }).fill("81.8O");
  await page.getByLabel("plate length", { exact: true }).fill("");
  await page.getByLabel("plate width", { exact: true }).fill("41.9");
  await page.getByRole("button", { name: "Save, and look at it" }).click();
  const told = page.locator(".tell");
  await told.filter({ hasText: "“81.8O”, cannot be read." }).waitFor();
  await told.filter({ hasText: "Plate length is empty." }).waitFor();
  await told.filter({ hasText: "a digit short: 41.9." }).waitFor();
  assert.equal(query("SELECT COUNT(*) FROM submissions"), before, "looking hands nothing in");
  // Each number of the list leads to its place.
  await page.locator(".toldlist a").first().click();
  assert.match(page.url(), /#told-1$/);
  await page.getByLabel("plate mass", { exact: true }).fill("81.80");
  await page.getByLabel("plate width", { exact: true }).fill("41.92");
  await page.getByLabel("or say why").fill("the jaw was stuck");
  await page.getByRole("button", { name: /^Hand in/ }).click();
  await page.waitForURL(/\/receipt$/);
  await page.locator(".openlist q", { hasText: "the jaw was stuck" }).waitFor();
  assert.equal(await page.locator(".openlist li").count(), 1, "what was mended is not told again");
  const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "Keep this receipt" }).click()]);
  assert.match(download.suggestedFilename(), /^receipt-\d+\.csv$/);
  const chief = await app.coordinator();
  const id = query("SELECT s.id FROM sheets s JOIN teams t ON t.id = s.team_id JOIN sections x ON x.id = s.section_id WHERE s.stage IS NOT NULL AND x.name = 'Morning' AND t.name = 'Curlew'");
  await chief.goto(`${app.origin}/bench/${id}`);
  await chief.getByText("the jaw was stuck").first().waitFor();
  assert.match(query(`SELECT changed_by FROM sheets WHERE id = ${id}`), /The team/);
  await Promise.all([page, chief].map((p) => p.context().close()));
});

test("without a script a sheet is handed in just so, and a code that was made anew ends what it opened", async () => {
  const all = await codes("Evening");
  const [team, code] = Object.entries(all)[0];
  const page = await app.page({ ...phone, javaScriptEnabled: false });
  await page.goto(`${app.origin}/hand-in`);
  await page.getByLabel(/^Code/).fill("none of ours");
  await page.getByRole("button", { name: "Come in" }).click();
  await page.getByText("No team has this code").waitFor();
  await page.getByLabel(/^Code/).fill(code.toLowerCase().replaceAll("-", ""));
  await page.getByRole("button", { name: "Come in" }).click();
  await page.getByText(`${team}, Evening watch`).waitFor();
  await page.getByRole("link", { name: /Keel plate/ }).first().click();
  await page.getByLabel("plate mass", { exact: true }).fill("77.70");
  await page.getByRole("button", { name: /^Hand in/ }).click();
  await page.locator(".stamp .when").waitFor();
  await page.getByRole("link", { name: "Change the sheet" }).click();
  assert.equal(await page.getByLabel("plate mass", { exact: true }).inputValue(), "77.70");
  await codes("Evening");
  await page.getByRole("button", { name: /^Hand in/ }).click();
  await page.getByLabel(/^Code/).waitFor();
  await page.context().close();
});

/** Comes in as a team, on a phone of its own. */
async function comeIn(code) {
  const page = await app.page(phone);
  await page.goto(`${app.origin}/hand-in/with/${code}`);
  await page.getByRole("button", { name: "Come in" }).click();
  await page.getByRole("link", { name: /Keel plate/ }).first().waitFor();
  return page;
}

test("a sheet saves itself, is kept on the phone without a line, and joins what another phone typed", async () => {
  const all = await codes("Forenoon");
  const [code] = Object.values(all);
  const [one, two] = [await comeIn(code), await comeIn(code)];
  const lab = query("SELECT id FROM labs WHERE slug = 'keel-plate'");
  // By the link, as a team comes: the page's script has to be there then too.
  for (const page of [one, two]) {
    await page.getByRole("link", { name: /^Keel plate/ }).first().click();
    await page.waitForURL(`${app.origin}/hand-in/${lab}`);
  }
  const saved = (page) => page.locator("[data-saved]", { hasText: "as a draft" });
  await one.getByLabel("plate mass", { exact: true }).fill("77.71");
  await one.keyboard.press("Tab");
  await saved(one).waitFor();
  await two.getByLabel("plate width", { exact: true }).fill("40.01");
  await two.keyboard.press("Tab");
  await saved(two).waitFor();
  // Without a line it stays on the phone, through a page that is loaded anew, and goes once there is one.
  await one.context().setOffline(true);
  await one.getByLabel("plate length", { exact: true }).fill("90.12");
  await one.keyboard.press("Tab");
  await one.locator("[data-saved]", { hasText: "no connection: kept on this phone" }).waitFor();
  await one.context().setOffline(false);
  await saved(one).waitFor();
  // What is kept on a phone is one team's: another that comes in on it does not find it.
  await one.context().setOffline(true);
  await one.getByLabel("plate length", { exact: true }).fill("90.13");
  await one.keyboard.press("Tab");
  await one.locator("[data-saved]", { hasText: "no connection: kept on this phone" }).waitFor();
  const before = query(`SELECT COUNT(*) FROM drafts WHERE lab_id = ${lab}`);
  await one.context().clearCookies();
  await one.goto("about:blank");
  await one.context().setOffline(false);
  await one.goto(`${app.origin}/hand-in/with/${Object.values(all)[1]}`);
  await one.getByRole("button", { name: "Come in" }).click();
  await one.getByRole("link", { name: /Keel plate/ }).first().waitFor();
  await one.goto(`${app.origin}/hand-in/${lab}`);
  assert.notEqual(await one.getByLabel("plate length", { exact: true }).inputValue(), "90.13");
  assert.equal(query(`SELECT COUNT(*) FROM drafts WHERE lab_id = ${lab}`), before, "nothing of it is saved for the other");
  await one.context().clearCookies();
  await one.evaluate(() => localStorage.clear());
  await one.goto(`${app.origin}/hand-in/with/${code}`);
  await one.getByRole("button", { name: "Come in" }).click();
  await one.getByRole("link", { name: /Keel plate/ }).first().waitFor();
  await one.goto(`${app.origin}/hand-in/${lab}`);
  for (const [box, value] of [["plate mass", "77.71"], ["plate width", "40.01"], ["plate length", "90.12"]]) {
    assert.equal(await one.getByLabel(box, { exact: true }).inputValue(), value, `${box} of both phones`);
  }
  // Both type in one box: it is told, and handed in once somebody looked.
  await one.getByLabel("plate mass", { exact: true }).fill("77.72");
  await one.keyboard.press("Tab");
  await saved(one).waitFor();
  await two.getByLabel("plate mass", { exact: true }).fill("77.27");
  await two.getByRole("button", { name: /^Hand in/ }).click();
  await two.locator(".tell", { hasText: "“77.27” on this one, “77.72” on the other" }).waitFor();
  await two.getByRole("button", { name: /^Hand in/ }).click();
  await two.waitForURL(/\/receipt$/);
  await Promise.all([one, two].map((p) => p.context().close()));
});

test("in the room a phone has keys of its own, and what another phone of the team typed stands in its boxes", async () => {
  const code = (await codes("Evening")).Mallard;
  const lab = query("SELECT id FROM labs WHERE slug='keel-plate'");
  const come = async (size) => {
    const page = await app.page(size);
    await page.goto(`${app.origin}/hand-in/with/${code}`);
    await page.getByRole("button", { name: "Come in" }).click();
    await page.getByRole("heading", { name: "Your sheets" }).waitFor();
    await page.getByRole("link", { name: /^in the room.*Keel plate/ }).click();
    await page.waitForURL(`${app.origin}/hand-in/${lab}/room`);
    return page;
  };
  const page = await come({ ...phone, hasTouch: true });
  const keys = page.getByRole("region", { name: "Keys" });
  const tap = async (digits) => { for (const d of digits) await keys.getByRole("button", { name: d, exact: true }).tap(); };
  await page.getByLabel("plate width", { exact: true }).fill("");
  await page.getByLabel("plate length", { exact: true }).tap();
  await keys.getByText("plate length, mm").waitFor();
  // A digit is owed still: then nothing is written down.
  await tap("84");
  assert.ok(await keys.getByRole("button", { name: "Write down" }).isDisabled());
  await keys.getByRole("button", { name: "take back" }).tap();
  await tap("442");
  await keys.getByRole("button", { name: "take back" }).tap();
  await tap("4");
  await keys.getByText("84.44", { exact: true }).first().waitFor();
  await keys.getByRole("button", { name: "Write down" }).tap();
  assert.equal(await page.getByLabel("plate length", { exact: true }).inputValue(), "84.44");
  assert.equal(await page.evaluate(() => document.activeElement.getAttribute("aria-label")), "plate width", "on to the next empty box");
  await page.locator("#advice").getByText("Plate width").first().waitFor();
  // At a desk there are none; what the phone typed is there.
  const desk = await come({ viewport: { width: 1280, height: 800 } });
  assert.equal(await desk.getByLabel("plate length", { exact: true }).inputValue(), "84.44");
  await desk.getByLabel("plate length", { exact: true }).fill("84.46");
  await desk.keyboard.press("Tab");
  await desk.getByText("84.46 here, 84.44 there").waitFor();
  assert.ok(await desk.getByRole("region", { name: "Keys" }).isHidden());
  await desk.getByRole("link", { name: "Take 84.44" }).click();
  await desk.locator("input[name='c.plate_length'][value='84.44']").waitFor();
  for (const p of [page, desk]) await p.context().close();
});

test("a sheet that went out is read on the phone, asked about on a line, and answered beside it", async () => {
  const reviewer = await app.signIn("reviewer1", passwords.reviewer1);
  await reviewer.goto(`${app.origin}/docket/clear`);
  await reviewer.getByRole("button", { name: /^Sign/ }).click();
  await reviewer.waitForURL(/\/docket$/);
  const chief = await app.coordinator();
  await chief.goto(`${app.origin}/returns/release`);
  await chief.locator("main form button.btn-take").click();
  await chief.waitForURL(/\/returns$/);
  const [id, team] = query("SELECT s.id, t.name FROM sheets s JOIN teams t ON t.id = s.team_id JOIN sections x ON x.id = s.section_id WHERE x.name = 'Morning' AND x.term_id = 0 AND s.returns > 0 LIMIT 1").split("\t");
  const page = await comeIn((await codes("Morning"))[team]);
  await page.getByRole("link", { name: /Keel plate/ }).first().click();
  await page.getByRole("heading", { name: "Step by step" }).waitFor();
  const line = page.locator(".steps tr").nth(1);
  await line.locator(".ask summary").click();
  await line.getByLabel(/What would you like to know/).fill("is the zero in it?");
  await line.getByRole("button", { name: "Ask your reviewer" }).click();
  await page.locator(".thread", { hasText: "is the zero in it?" }).waitFor();
  await reviewer.goto(`${app.origin}/docket`);
  await reviewer.locator(".askers a").first().click();
  await reviewer.getByLabel(/^Answer/).fill("Yes, once, in every length.");
  await reviewer.getByRole("button", { name: "Answer" }).click();
  await reviewer.getByText("Nobody waits for an answer.").waitFor();
  await page.reload();
  await page.locator(".thread.answered", { hasText: "Yes, once, in every length." }).waitFor();
  assert.equal(query(`SELECT COUNT(*) FROM questions WHERE sheet_id = ${id} AND answered_by IS NOT NULL`), "1");
  await Promise.all([page, chief, reviewer].map((p) => p.context().close()));
});
