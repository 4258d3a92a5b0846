// Every view is looked at by an automated accessibility checker (WCAG 2.2 A and AA), by day and by night.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { after, before, test } from "node:test";
import { decide, markAgain, signedIn } from "./deciding.mjs";
import { sql, startApp } from "./app.mjs";

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
let app;
before(async () => { app = await startApp("access", { labs: ["keel-plate", "beacon-timer", "reflector", "bilge-acid", "fog-pipe"] }); });
after(async () => { await app?.stop(); });

const faults = [];
const check = async (page, what) => {
  await page.evaluate(axe);
  const found = await page.evaluate(() => globalThis.axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"] }));
  const told = found.violations.map((v) => `${v.id}: ${v.help}\n    ${v.nodes.slice(0, 3).map((n) => `${n.target} ${n.failureSummary?.split("\n")[1] ?? ""}`).join("\n    ")}`);
  if (told.length) faults.push(`${what}\n  ${told.join("\n  ")}`);
  const clipped = await page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth + 1);
  if (clipped) faults.push(`${what}: something stands outside the page`);
  const cut = await page.evaluate(() => [...document.querySelectorAll(".fold th")].filter((th) => th.scrollWidth > th.clientWidth + 1).map((th) => th.textContent.trim()));
  cut.forEach((words) => faults.push(`${what}: “${words}” is cut off`));
};

test("no view has a violation, by day and by night, wide and narrow", async () => {
  const page = await app.coordinator();
  const id = (slug) => sql(`SELECT id FROM labs WHERE slug='${slug}'`, app.database).trim();
  const sheet = (slug, mark) => sql(`SELECT s.id FROM sheets s JOIN labs l ON l.id=s.lab_id WHERE s.stage IS NOT NULL AND l.slug='${slug}' AND s.mark='${mark}' ORDER BY s.id LIMIT 1`, app.database).trim();
  const [keel, beacon] = [id("keel-plate"), id("beacon-timer")];
  const slip = sheet("keel-plate", "slip");
  const rows = sheet("reflector", "slip");
  const folded = sheet("fog-pipe", "agrees");
  const told = await (await page.request.get(`${app.origin}/bench/${slip}`)).text();
  const key = /\/rulings\/new\?sheet=\d+&(?:amp;|#38;)finding=([^"]*)"/.exec(told)[1];
  const kept = sql("SELECT MIN(id) FROM sheets WHERE term_id=1", app.database).trim();
  const section = sql("SELECT id FROM sections WHERE term_id=0 ORDER BY position LIMIT 1", app.database).trim();
  const pattern = JSON.stringify({ id: 0, protocol: "keel-plate", code: "slip", item: "plate_volume", action: { do: "forgive" }, reason: "x" });
  sql(`INSERT INTO rulings (lab_id, pattern, reason, touched, user_id, at) VALUES (${keel}, '${pattern}', 'x', 0, 1, '2026-01-01')`, app.database);
  // Signed tables, one marked twice and one that waits for a second mark of the coordinator.
  const signed = sql(`SELECT id FROM sheets WHERE stage IS NOT NULL AND lab_id=${beacon} ORDER BY id LIMIT 2`, app.database).trim().split("\n");
  const first = await signedIn(app, "reviewer1");
  for (const one of signed) {
    await decide(first, one, () => ({ action: "forgive", reason: "looked at" }));
    sql(`INSERT INTO second_marks (sheet_id, submission_id, user_id, at_random, asked_by, asked_at, decisions, twice) SELECT id, submission_id, (SELECT id FROM users WHERE sign_in='coordinator'), 1, 1, '2026-01-01', '[]', '[]' FROM sheets WHERE id=${one}`, app.database);
  }
  assert.equal((await markAgain(page.request, `${app.origin}/second/1`, () => "accept")).status(), 303);
  // A practice class that has ended, and one that is open.
  await page.goto(`${app.origin}/practice`);
  const token = await page.locator("[name=token]").first().inputValue();
  for (const kind of ["usual", "rare"]) {
    await page.request.post(`${app.origin}/practice`, { form: { token, lab: keel, kind }, maxRedirects: 0 });
  }
  sql("UPDATE practice_tables SET signed_at=NOW() WHERE class_id=1", app.database);
  await page.request.post(`${app.origin}/practice/1/end`, { form: { token }, maxRedirects: 0 });
  const paths = ["/practice", "/practice/1", "/practice/1/2", "/practice/2", "/practice/2/1", "/practice/2/class", "/docket/clear", "/second/2", "/docket", "/docket?state=wants&mark=slip", `/bench/${slip}`, `/bench/${slip}/try`, `/bench/${sheet("beacon-timer", "agrees")}`, `/bench/${slip}/revisions`, `/bench/${rows}`, `/bench/${rows}/try`, `/bench/${folded}`, `/bench/${sheet("bilge-acid", "agrees") || sheet("bilge-acid", "slip")}?o=1`, "/returns", `/returns?lab=${beacon}`, "/returns/release", `/returns/${slip}`, "/intake", `/entry?lab=${beacon}&section=${section}`, "/sections", `/sections?section=${section}`, "/moderation", "/moderation/table", "/asked", "/account/tokens", "/account/second", "/returns/gradebook", "/people", "/people/college", "/rulings", "/rulings/1/withdraw", `/rulings/new?sheet=${slip}&finding=${key}`, `/floor/${keel}`, `/floor/${beacon}?by=section`, `/floor/${keel}?result=core_metal`, `/floor/${keel}/table`, `/floor/${keel}/wall`, `/floor/${keel}/start`, `/floor/${keel}/shared`, `/floor/${keel}/place?by=station&at=3`, "/floor/storeroom", "/course", "/terms/1", `/bench/${kept}`, "/protocols/new", `/sections/${section}/${keel}`, "/quick", `/quick?lab=${beacon}`, "/protocols", `/protocols/${keel}`, `/protocols/${keel}/version/${sql(`SELECT protocol_id FROM labs WHERE id=${keel}`, app.database).trim()}`, `/protocols/${keel}/stations`, `/protocols/${keel}/edit`, `/protocols/${beacon}/paper`, "/nowhere"];
  for (const lamp of ["day", "night"]) {
    for (const path of paths) {
      await page.goto(`${app.origin}${path}`);
      await check(page, `${path} by ${lamp}`);
    }
    await page.goto(`${app.origin}/docket`);
    await page.keyboard.press("n");
    await page.locator(`html[data-bs-theme=${lamp === "day" ? "dark" : "light"}]`).waitFor();
  }
  // A team at the door, at a desk and on a phone.
  await page.goto(`${app.origin}/sections/${section}/codes`);
  await page.getByRole("button", { name: "Make all anew" }).click();
  await page.locator(".cards li").first().waitFor();
  await check(page, "the codes of a section");
  const code = await page.locator(".cards li .n").first().textContent();
  const team = await app.page();
  await team.goto(`${app.origin}/hand-in`);
  await check(team, "the form for a code");
  await team.getByLabel(/^Code/).fill(code);
  await team.keyboard.press("Enter");
  await team.getByRole("link", { name: /Keel plate/ }).first().waitFor();
  for (const lamp of ["day", "night"]) {
    for (const size of [{ width: 1280, height: 800 }, { width: 390, height: 844 }]) {
      await team.setViewportSize(size);
      for (const lab of [keel, id("reflector")]) {
        await team.goto(`${app.origin}/hand-in/${lab}`);
        await team.locator("input.fld").nth(1).fill("8x.1");
        await team.locator("input.fld").nth(2).fill("");
        await team.getByRole("button", { name: "Save, and look at it" }).click();
        await team.locator(".tell").first().waitFor();
        await check(team, `a sheet at the door, ${size.width} px by ${lamp}`);
      }
      await team.getByRole("button", { name: /^A file, or pictures/ }).click();
      await team.waitForURL(/files$/);
      await check(team, `files and pictures, ${size.width} px by ${lamp}`);
      await team.getByRole("link", { name: "To the sheet" }).click();
      await team.getByRole("button", { name: /^Hand in/ }).click();
      await team.waitForURL(/receipt/);
      await check(team, `a receipt, ${size.width} px by ${lamp}`);
      await team.goto(`${app.origin}/hand-in/${keel}/room`);
      await check(team, `the room, ${size.width} px by ${lamp}`);
      await team.goto(`${app.origin}/hand-in`);
      await check(team, `what is due, ${size.width} px by ${lamp}`);
    }
    await team.locator(".lamp", { hasText: "watch" }).click();
    await team.locator(`html[data-bs-theme=${lamp === "day" ? "dark" : "light"}]`).waitFor();
  }
  await team.context().close();
  await page.goto(`${app.origin}/docket`);
  await page.keyboard.press("?");
  await page.getByRole("dialog").waitFor();
  await check(page, "the help sheet");
  await page.setViewportSize({ width: 390, height: 844 });
  for (const path of [`/floor/${beacon}`, `/floor/${keel}/table`, "/rulings", `/rulings/new?sheet=${slip}&finding=${key}`, "/course", "/terms/1", `/quick?lab=${keel}`, `/quick?lab=${beacon}`, "/docket", `/bench/${slip}`, `/bench/${rows}`, "/returns", `/returns/${slip}`]) {
    await page.goto(`${app.origin}${path}`);
    await page.evaluate(axe);
    const clipped = await page.evaluate(() => document.documentElement.scrollWidth > document.documentElement.clientWidth + 1);
    if (clipped) faults.push(`${path} at 390 px: it moves sideways`);
    const found = await page.evaluate(() => globalThis.axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag22aa"] }));
    found.violations.forEach((v) => faults.push(`${path} at 390 px: ${v.id} ${v.nodes[0].target}`));
  }
  await page.context().close();
  const outside = await app.page();
  await outside.goto(`${app.origin}/sign-in`);
  await check(outside, "sign-in");
  await outside.context().close();
  assert.equal(faults.join("\n"), "");
});
