// A whole section by keyboard alone, keys counted: at most one for a table with nothing wrong, at most six for one usual
// slip.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("keyboard"); });
after(async () => { await app?.stop(); });

test("a section is worked through without the mouse, and the keys are few", async () => {
  const page = await app.reviewer1();
  let keys = 0;
  const press = async (key) => { keys += 1; await page.keyboard.press(key); };
  const stand = () => page.evaluate(() => ({
    path: location.pathname,
    open: document.querySelectorAll("[data-finding]:not(.set)").length,
    slips: document.querySelectorAll("[data-finding]:not(.set) .verdict.slip").length,
    all: document.querySelectorAll("[data-finding]").length,
    version: document.querySelector("[data-screen=bench] input[name=version]")?.value ?? "",
    place: document.querySelector(".title p")?.textContent ?? "",
  }));
  const changed = async (before) => {
    await page.waitForFunction(([path, open]) => location.pathname !== path || document.querySelectorAll("[data-finding]:not(.set)").length !== open, [before.path, before.open]);
    await page.waitForLoadState("load");
  };
  const docket = await stand();
  await page.keyboard.press(" ");
  await changed(docket);
  const watch = (await stand()).place.split(" ")[0];
  const clean = [], slip = [], seen = new Set();
  for (let n = 0; n < 40; n += 1) {
    const arrived = await stand();
    if (!arrived.path.startsWith("/bench/") || arrived.place.split(" ")[0] !== watch) break;
    assert.ok(!seen.has(arrived.path), `${arrived.path} comes twice`);
    seen.add(arrived.path);
    keys = 0;
    for (let at = arrived; at.open > 0 && at.path === arrived.path; at = await stand()) {
      // A criterion that a person judges takes its best level.
      await press((await page.locator(".fd.now .levels").count()) > 0 ? "1" : "Enter");
      await changed(at);
    }
    const decided = await stand();
    await press(" ");
    await changed(decided);
    if (arrived.open === 0) clean.push(keys);
    else if (arrived.open === 1 && arrived.slips === 1) slip.push(keys);
  }
  assert.equal(seen.size, 14, "every table of the watch came once");
  assert.ok(clean.length > 3 && slip.length > 1, `${clean.length} clean, ${slip.length} with one slip`);
  assert.ok(Math.max(...clean) <= 1, `clean: ${clean}`);
  assert.ok(Math.max(...slip) <= 6, `one slip: ${slip}`);
  console.log(`keys for a table with nothing wrong: ${Math.max(...clean)}; with one slip: ${Math.max(...slip)}; ${seen.size} tables`);
  await page.goto(`${app.origin}/docket`);
  await page.getByText("The same as a table").click();
  const counts = (await page.locator(".plain tbody tr", { hasText: watch }).locator("td.n").allTextContents()).slice(0, 5).map(Number);
  assert.deepEqual(counts, [0, 0, 14, 0, 0], "all of the watch is decided");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("two reviewers who take the next never get the same table", async () => {
  const [one, two] = [await app.reviewer1(), await app.reviewer2()];
  const taken = [];
  for (const page of [one, two]) {
    await page.goto(`${app.origin}/bench`);
    taken.push(new URL(page.url()).pathname);
  }
  assert.match(taken[0], /^\/bench\/\d+$/);
  assert.match(taken[1], /^\/bench\/\d+$/);
  assert.notEqual(taken[0], taken[1]);
  // Coming back later, each goes on where they stopped.
  await one.goto(`${app.origin}/docket`);
  await one.goto(`${app.origin}/bench`);
  assert.equal(new URL(one.url()).pathname, taken[0]);
  await one.context().close();
  await two.context().close();
});

test("names are hidden while marking, and come back", async () => {
  const page = await app.reviewer1();
  await app.bench(page, "Bunting");
  await page.keyboard.press("b");
  await page.getByText("names hidden").first().waitFor();
  const text = await page.locator("main").textContent();
  assert.doesNotMatch(text, /Bunting|Afternoon/);
  // The Docket hides them too.
  const back = page.url();
  await page.goto(`${app.origin}/docket?find=Bunting`);
  await page.locator(".qs a", { hasText: /^Table \d+$/ }).first().waitFor();
  assert.doesNotMatch(await page.locator(".qs").textContent(), /Bunting|Afternoon/);
  await page.goto(back);
  await page.keyboard.press("b");
  await page.getByRole("heading", { level: 1, name: "Bunting" }).waitFor();
  await page.context().close();
});

test("a table of results is one stop of the Tab key, and arrows move in it", async () => {
  const page = await app.reviewer1();
  await app.bench(page, "Bunting");
  const links = page.locator(".rungs a[href]");
  const count = await links.count();
  assert.ok(count > 10);
  assert.equal(await page.locator('.rungs a[tabindex="0"]').count(), 1, "one way in");
  await page.locator('.rungs a[tabindex="0"]').focus();
  await page.keyboard.press("Home");
  const focused = () => page.evaluate(() => [...document.querySelectorAll(".rungs a[href]")].indexOf(document.activeElement));
  assert.equal(await focused(), 0);
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowUp");
  assert.equal(await focused(), 1);
  await page.keyboard.press("End");
  assert.equal(await focused(), count - 1);
  await page.keyboard.press("ArrowDown");
  assert.equal(await focused(), count - 1, "the end is the end");
  await page.keyboard.press("Tab");
  assert.equal(await focused(), -1, "one step leads out");
  await page.keyboard.press("Shift+Tab");
  assert.equal(await focused(), count - 1, "and back to where one was");
  // A result that is opened stays the way in.
  await page.keyboard.press("Home");
  const name = await page.evaluate(() => document.activeElement.textContent);
  await page.keyboard.press("Enter");
  await page.waitForURL("**r=0*");
  await page.waitForFunction((n) => document.querySelector('.rungs a[tabindex="0"]')?.textContent === n, name);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});
