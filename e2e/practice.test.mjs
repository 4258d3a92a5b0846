// Practice in the browser: a class begun, worked through by keys on the Bench, ended, and told.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("practice", { labs: ["keel-plate"] }); });
after(() => app?.stop());
const query = (text) => sql(text, app.database).trim();

test("a class is worked through by keys, and its account names what passed and leads to it", async () => {
  const marks = query("SELECT SUM(CRC32(CONCAT(id, version, decided, state))) FROM sheets");
  const page = await app.reviewer1();
  await page.goto(`${app.origin}/practice`);
  await page.getByLabel("Lab").selectOption({ label: "Keel plate" });
  await page.getByLabel("as a class is").check();
  await page.keyboard.press("Space");
  await page.getByRole("button", { name: /^Begin/ }).click();
  await page.getByRole("heading", { name: "Table 1", exact: true }).waitFor();
  const id = new URL(page.url()).pathname.split("/")[2];
  // Table by table: what is open and costs is forgiven, the rest taken. The class is another each time.
  let forgiven = 0;
  for (let n = 1; n <= 6; n++) {
    await page.getByRole("heading", { name: `Table ${n}`, exact: true }).waitFor();
    while (await page.locator(".fd.now").getByRole("button", { name: /^Take/ }).count()) {
      const open = await page.locator(".fd.now").getAttribute("data-finding");
      if (await page.locator(".fd.now").getByRole("button", { name: /^Take −/ }).count()) {
        await page.keyboard.press("d");
        await page.locator(".fd.now").getByLabel(/^Reason/).fill("it looked right to me");
        await page.locator(".fd.now").getByRole("button", { name: "Decide" }).click();
        forgiven++;
      } else {
        await page.keyboard.press("Enter");
      }
      await page.locator(`.fd.now[data-finding="${open}"] .btn-take`).waitFor({ state: "detached" });
    }
    await page.keyboard.press("Space");
  }
  assert.ok(forgiven > 0, "something was open in six tables");
  await page.getByRole("heading", { name: "Table 7", exact: true }).waitFor();
  await page.goto(`${app.origin}/practice/${id}`);
  await page.getByText("6 of 16 signed").waitFor();
  await page.getByRole("button", { name: "End it here" }).click();
  await page.getByRole("heading", { name: /Points beside truth/ }).waitFor();
  const [found, planted] = query(`SELECT found, planted FROM practice_classes WHERE id=${id}`).split("\t").map(Number);
  assert.ok(planted > found && found > 0, `${found} of ${planted}`);
  await page.getByText(`${found} of ${planted} found`).waitFor();
  await page.getByText("10 not signed, and left out").waitFor();
  await page.locator(".passed a").first().click();
  await page.getByRole("heading", { name: /^What was true/ }).waitFor();
  await page.getByText("missed", { exact: true }).first().waitFor();
  assert.equal(await page.getByRole("button", { name: /^Sign/ }).count(), 0, "told is told");
  await page.keyboard.press("Escape");
  await page.getByRole("heading", { name: /Points beside truth/ }).waitFor();
  assert.equal(query("SELECT SUM(CRC32(CONCAT(id, version, decided, state))) FROM sheets"), marks, "nothing of the course moved");
  await page.context().close();
});
