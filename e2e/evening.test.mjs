// A reviewer's evening: sign in, look at what waits, decide by keyboard, overrule with a reason, sign; the coordinator
// returns the marks and takes the file away.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { after, before, test } from "node:test";
import { startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("evening"); });
after(async () => { await app?.stop(); });

const score = async (page) => (await page.locator(".score tfoot td.dcd").textContent()).trim();

test("a wrong password is told and gets nowhere", async () => {
  const page = await app.page();
  await page.goto(`${app.origin}/bench`);
  await page.getByLabel("Name").fill("reviewer1");
  await page.getByLabel("Password").fill("wrong");
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("alert").getByText("do not go together").waitFor();
  assert.equal(await page.getByLabel("Name").inputValue(), "reviewer1", "what was typed is kept");
  // The page asked for comes after signing in.
  await page.getByLabel("Password").fill("morning tide");
  await page.keyboard.press("Enter");
  await page.waitForURL("**/bench/*");
  await page.context().close();
});

test("the Docket shows own sections only, the most wanting first", async () => {
  const page = await app.reviewer1();
  const text = await page.locator("main").textContent();
  assert.match(text, /Morning/);
  assert.match(text, /Forenoon/);
  assert.doesNotMatch(text, /First Dog/);
  const points = (await page.locator(".qr b").allTextContents()).map(Number);
  assert.ok(points.length > 3);
  assert.deepEqual(points, [...points].sort((a, b) => b - a));
  await page.getByText("The same as a table").click();
  const row = page.locator(".plain tbody tr", { hasText: "Morning" });
  const counts = (await row.locator("td.n").allTextContents()).map(Number);
  assert.equal(counts.reduce((a, b) => a + b), 14, "every team of the watch is counted once");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a table is decided by keyboard alone, and undone", async () => {
  const page = await app.reviewer1();
  await app.bench(page, "Bittern");
  const row = page.locator(".rungs tr", { hasText: "46.51" });
  assert.match(await row.textContent(), /slip/);
  await page.locator(".fd.now", { hasText: "used as the radius" }).waitFor();
  assert.equal(await score(page), "28.25");
  await page.keyboard.press("Enter");
  await page.locator(".fd.set", { hasText: "slip" }).waitFor();
  await page.getByRole("button", { name: /Sign, and the next/ }).waitFor();
  await page.keyboard.press("u");
  await page.locator(".fd.now", { hasText: "used as the radius" }).waitFor();
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: /Sign, and the next/ }).waitFor();
  await page.keyboard.press(" ");
  await page.waitForFunction(() => document.querySelector("h1").textContent !== "Bittern");
  assert.notEqual(await page.locator("h1").textContent(), "Bittern", "signing brings the next table");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a finding is overruled with a reason, which is kept beside the mark", async () => {
  const page = await app.reviewer1();
  await app.bench(page, "Dunlin");
  assert.equal(await score(page), "28.5");
  await page.keyboard.press("d");
  await page.getByLabel("Reason, kept beside the mark").first().waitFor();
  // Without a reason the browser holds the form back; the server would too.
  await page.getByLabel("points to take off").fill("0,25");
  await page.locator(".fd.now").getByLabel("Reason, kept beside the mark").fill("the sheet's layout invites it");
  await page.keyboard.press("Enter");
  await page.locator(".fd", { hasText: "slip" }).locator(".pn.done").waitFor();
  assert.equal(await score(page), "28.75");
  await page.keyboard.press("1");
  await page.getByText("the sheet's layout invites it").waitFor();
  // The computed value stands beside it, unchanged.
  assert.equal((await page.locator(".score tfoot td.sea").textContent()).trim(), "28.5");
  await page.keyboard.press("e");
  await page.getByLabel("Points to award").fill("99");
  await page.locator("#linereason").fill("too much");
  await page.getByRole("button", { name: "Change", exact: true }).click();
  await page.getByRole("alert").getByText("write a number from 0 to 16").waitFor();
  assert.equal(await score(page), "28.75", "nothing was changed");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("two reviewers deciding the same finding: the second is told, nothing is overwritten", async () => {
  const [first, second] = [await app.reviewer1(), await app.reviewer2()];
  await app.bench(first, "India");
  await app.bench(second, "India");
  await second.keyboard.press("d");
  await second.locator(".fd.now").getByLabel("Reason, kept beside the mark").fill("counted four on purpose");
  await first.keyboard.press("Enter");
  await first.getByRole("button", { name: /Sign, and the next/ }).waitFor();
  await second.keyboard.press("Enter");
  const told = second.getByRole("alert");
  await told.getByText("Somebody was first").waitFor();
  assert.match(await told.textContent(), /Reviewer 1 took what was proposed/);
  assert.match(await told.textContent(), /forgive it .* “counted four on purpose”|forgive it for .*counted four on purpose/);
  await second.getByRole("link", { name: "Look first" }).click();
  await second.getByRole("heading", { level: 1, name: "India" }).waitFor();
  assert.equal(await score(second), "28.5", "the first decision stands");
  await first.context().close();
  await second.context().close();
});

test("the help sheet opens, the lamp is shaded, keys do nothing while typing", async () => {
  const page = await app.reviewer1();
  await page.keyboard.press("?");
  await page.getByRole("dialog").getByText("take what is proposed").waitFor();
  await page.keyboard.press("Escape");
  await page.keyboard.press("n");
  await page.locator("html[data-bs-theme=dark]").waitFor();
  // The lamp loads the page anew, and keys work once its script has run.
  await page.waitForLoadState("load");
  await page.keyboard.press("n");
  await page.locator("html[data-bs-theme=light]").waitFor();
  await page.waitForLoadState("load");
  await page.keyboard.press("g");
  await page.keyboard.press("i");
  await page.waitForURL("**/intake");
  await page.locator("#pasted").fill("");
  await page.locator("#pasted").pressSequentially("gnd?");
  assert.equal(await page.locator("#pasted").inputValue(), "gnd?");
  assert.equal(new URL(page.url()).pathname, "/intake");
  await page.context().close();
});

test("marks leave only when returned, and the file holds the decided numbers", async () => {
  const page = await app.coordinator();
  const marks = async () => {
    await page.goto(`${app.origin}/returns`);
    const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "CSV", exact: true }).click()]);
    return readFileSync(await download.path(), "utf8").trim().split("\r\n");
  };
  assert.equal((await marks()).length, 1, "nothing but the column names before release");
  // Bittern was signed above; Dunlin is signed now; India stays unsigned.
  await app.bench(page, "Dunlin");
  await page.keyboard.press(" ");
  await page.waitForFunction(() => document.querySelector("h1").textContent !== "Dunlin");
  await page.goto(`${app.origin}/returns`);
  await page.getByRole("link", { name: "Return 2 signed…" }).click();
  // A release asks, and shows who gets what.
  await page.getByRole("heading", { name: "Return 2 sheets?" }).waitFor();
  await page.getByRole("button", { name: /Return them/ }).click();
  await page.getByText("2 returned").first().waitFor();
  const [header, ...rows] = await marks();
  assert.equal(header, "section,team,student,name,lab,protocol_version,points,possible,returned_at");
  const points = Object.fromEntries(rows.map((r) => { const f = r.split(","); return [f[1], [f[0], f[4], f[5], f[6], f[7]]]; }));
  assert.deepEqual(points, { Bittern: ["Morning", "keel-plate", "3", "28.25", "29"], Dunlin: ["Morning", "keel-plate", "3", "28.75", "29"] });
  await page.context().close();
});

test("a reviewer may not release, nor see another section's table", async () => {
  const page = await app.reviewer1();
  await page.goto(`${app.origin}/returns`);
  assert.equal(await page.locator("a, button").filter({ hasText: /^Return \d/ }).count(), 0);
  const refused = await page.goto(`${app.origin}/returns/release`);
  assert.equal(refused.status(), 403);
  const other = await app.reviewer2();
  await app.bench(other, "Zulu");
  const answer = await page.goto(other.url());
  assert.equal(answer.status(), 404);
  await page.getByRole("alert").getByText("not one of yours").waitFor();
  await page.context().close();
  await other.context().close();
});

test("the clear tables are looked over and signed as one lot, by keyboard", async () => {
  const page = await app.reviewer2();
  const counts = async () => (await page.locator(".title p").textContent()).match(/(\d+) tables? wants? a person, (\d+) looks? clear/).slice(1).map(Number);
  const [wants, clear] = await counts();
  assert.ok(clear > 5);
  await page.keyboard.press("s");
  await page.getByRole("heading", { name: "Clear tables" }).waitFor();
  const listed = await page.locator(".list tbody tr").count();
  assert.ok(listed > 5 && listed <= clear, `${listed} of ${clear}`);
  assert.doesNotMatch(await page.locator("main").textContent(), /Morning/, "own sections only");
  await page.keyboard.press("Enter");
  await page.getByText(`${listed} tables signed.`).waitFor();
  assert.deepEqual(await counts(), [wants, clear - listed]);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a page weighs no more than 350 kB and runs without JavaScript for reading", async () => {
  const page = await app.reviewer1();
  await app.bench(page, "Foxtrot");
  const weight = await page.evaluate(() => performance.getEntriesByType("resource").concat(performance.getEntriesByType("navigation")).reduce((n, e) => n + e.decodedBodySize, 0));
  assert.ok(weight > 100_000 && weight <= 350_000, `${weight} bytes`);
  await page.context().close();
  const plain = await app.reviewer1({ javaScriptEnabled: false });
  await app.bench(plain, "Foxtrot");
  await plain.locator(".rungs").getByText("39.46").waitFor();
  await plain.context().close();
});
