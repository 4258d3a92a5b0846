// The same for all like it: a ruling by keyboard from a finding, two reviewers at once, and its withdrawal.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("rulings", { labs: ["keel-plate"] }); });
after(() => app?.stop());
const query = (text) => sql(text, app.database).trim();
const waits = () => Number(query("SELECT COUNT(*) FROM sheets WHERE stage = 0"));
const verdicts = () => query("SELECT id, decided, open_findings, mark, headline, outcome, profile FROM sheets WHERE stage IS NOT NULL ORDER BY id");

test("one ruling by keyboard settles all like it, and withdrawing gives back every verdict", async () => {
  const page = await app.coordinator();
  const [before, many] = [verdicts(), waits()];
  const id = query("SELECT id FROM sheets WHERE stage = 0 AND mark = 'slip' ORDER BY id LIMIT 1");
  await page.goto(`${app.origin}/bench/${id}`);
  await page.keyboard.press("r");
  await page.getByRole("heading", { name: "The same for all like it" }).waitFor();
  const group = page.locator(".lines fieldset", { hasText: "Slip" });
  await group.getByRole("radio").first().focus();
  await page.keyboard.press("ArrowRight");
  await page.locator(".pattern", { hasText: "has any slip" }).waitFor();
  const would = Number(/^(\d+) (is|are) settled/.exec(await page.locator(".tally b").first().locator("..").textContent().then((t) => t.trim().replace(/\s+/g, " ")))[1]);
  assert.ok(would > 1, `${would} tables`);
  await page.getByLabel(/^Because/).focus();
  await page.keyboard.type("The sheet of that station was misprinted.");
  await page.keyboard.press("Enter");
  await page.getByText(`Ruling 1 is in force: ${would} tables changed.`).waitFor();
  assert.ok(waits() < many, "the queue is shorter");
  await page.goto(`${app.origin}/bench/${id}?f=1`);
  await page.getByText(/settled by ruling 1/).waitFor();
  await page.goto(`${app.origin}/returns/${id}`);
  await page.getByText(/as it costs nobody: The sheet of that station was misprinted/).waitFor();
  await page.goto(`${app.origin}/rulings`);
  await page.getByText("Withdraw it").click();
  await page.getByLabel("Reason").fill("It was printed right.");
  await page.keyboard.press("Enter");
  await page.getByText("stand as they would without ruling 1").waitFor();
  assert.equal(verdicts(), before, "every verdict as it was");
  await page.getByText("1 withdrawn").click();
  await page.getByText(/withdrawn by Coordinator/).waitFor();
  await page.context().close();
});

test("of two who rule at once the second sees the first, and names of others’ teams are not told", async () => {
  const [one, two] = [await app.reviewer1(), await app.coordinator()];
  const id = query("SELECT s.id FROM sheets s JOIN sections x ON x.id = s.section_id WHERE s.stage = 0 AND s.mark = 'slip' AND x.name = 'Morning' ORDER BY s.id LIMIT 1");
  for (const page of [one, two]) {
    await page.goto(`${app.origin}/bench/${id}`);
    await page.keyboard.press("r");
    await page.getByRole("heading", { name: "The same for all like it" }).waitFor();
    await page.locator("label", { hasText: "any slip" }).click();
    await page.locator(".pattern", { hasText: "has any slip" }).waitFor();
  }
  const listed = await one.locator(".moved tbody tr").allTextContents();
  const own = ["Morning", "Forenoon", "Afternoon"];
  for (const row of listed) assert.ok(own.some((s) => row.includes(s)) || row.includes("a team"), row);
  await one.getByLabel(/^Because/).fill("Seen in the room.");
  await one.keyboard.press("Enter");
  await one.getByText(/is in force/).waitFor();
  await two.getByLabel(/^Because/).fill("Not so.");
  await two.keyboard.press("Enter");
  await two.getByRole("alert").getByText(/Reviewer 1 was first: .*Seen in the room/).waitFor();
  assert.equal(await two.getByLabel(/^Because/).inputValue(), "Not so.");
  assert.equal(query("SELECT COUNT(*) FROM rulings WHERE withdrawn_at IS NULL"), "1");
  await one.context().close();
  await two.context().close();
});
