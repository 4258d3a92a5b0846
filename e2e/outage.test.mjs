// The database goes away in the middle of an import: nothing half-stored, a clear page, and it works again afterwards.
import assert from "node:assert/strict";
import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir, userInfo } from "node:os";
import { join } from "node:path";
import { test } from "node:test";
import { binary, passwordFile, passwords } from "./app.mjs";
import { chromium } from "playwright-core";

const dir = mkdtempSync(join(tmpdir(), "jurado-outage-"));
const data = join(dir, "data"), socket = join(dir, "db.sock"), dbPort = 3900 + (process.pid % 90), port = 8900 + (process.pid % 90);
const sql = (text) => execFileSync("mariadb", ["--no-defaults", `--socket=${socket}`, "-uroot", "-N", "-e", text], { encoding: "utf8" });
const wait = (ms) => new Promise((r) => setTimeout(r, ms));

async function startDatabase() {
  const child = spawn("mariadbd", ["--no-defaults", `--user=${userInfo().username}`, `--datadir=${data}`, `--tmpdir=${dir}`, `--socket=${socket}`, `--port=${dbPort}`, "--bind-address=127.0.0.1", "--innodb-flush-log-at-trx-commit=0", "--performance-schema=OFF"], { stdio: "ignore" });
  for (let i = 0; i < 200; i++) {
    try { sql("SELECT 1"); return child; } catch { await wait(50); }
  }
  throw new Error("the database did not start");
}

test("an import cut off by the database leaves nothing, and goes through when it is back", { timeout: 120_000 }, async () => {
  execFileSync("mariadb-install-db", ["--no-defaults", `--user=${userInfo().username}`, "--auth-root-authentication-method=normal", "--skip-test-db", `--datadir=${data}`], { stdio: "ignore" });
  let database = await startDatabase();
  sql("CREATE DATABASE jurado; CREATE USER 'jurado'@'127.0.0.1' IDENTIFIED BY 'x'; GRANT ALL ON jurado.* TO 'jurado'@'127.0.0.1'");
  const app = spawn(binary, ["serve", "--port", String(port), "--demo", "--demo-passwords", passwordFile(), "--demo-lab", "keel-plate"], { cwd: new URL("..", import.meta.url).pathname, env: { ...process.env, DATABASE_URL: `mysql://jurado:x@127.0.0.1:${dbPort}/jurado` }, stdio: ["ignore", "pipe", "ignore"] });
  await new Promise((resolve) => app.stdout.on("data", (d) => { if (String(d).includes("answers on")) resolve(); }));
  const browser = await chromium.launch({ executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"] });
  try {
    const page = await browser.newPage();
    await page.goto(`http://127.0.0.1:${port}/sign-in`);
    await page.getByLabel("Name").fill("coordinator");
    await page.getByLabel("Password").fill(passwords.coordinator);
    await page.keyboard.press("Enter");
    await page.waitForURL("**/docket");
    execFileSync(binary, ["demo", "--seed", "7", "--out", dir]);
    writeFileSync(join(dir, "other.csv"), readFileSync(join(dir, "submissions.csv")));
    await page.goto(`http://127.0.0.1:${port}/intake`);
    await page.locator("#file").setInputFiles(join(dir, "other.csv"));
    await page.getByRole("button", { name: "Look at it first" }).click();
    const take = page.getByRole("button", { name: "Take 84 tables" });
    await take.waitFor();
    const before = sql("SELECT COUNT(*) FROM jurado.submissions").trim();
    // The import waits behind this lock on the last team's sheet, with all others already written in its transaction.
    const lock = spawn("mariadb", ["--no-defaults", `--socket=${socket}`, "-uroot", "jurado"], { stdio: ["pipe", "ignore", "ignore"] });
    lock.stdin.write("SET autocommit=0; SELECT s.id FROM sheets s JOIN teams t ON t.id = s.team_id WHERE s.stage IS NOT NULL AND t.name = 'Zulu' FOR UPDATE;\n");
    await wait(300);
    const clicked = take.click();
    await wait(900);
    database.kill("SIGKILL");
    await new Promise((r) => database.once("exit", r));
    await clicked;
    await page.getByRole("alert").getByText("The records cannot be reached").waitFor({ timeout: 30_000 });
    lock.kill();
    database = await startDatabase();
    assert.equal(sql("SELECT COUNT(*) FROM jurado.submissions").trim(), before, "nothing half-stored");
    assert.equal(sql("SELECT state FROM jurado.imports ORDER BY id DESC LIMIT 1").trim(), "offered");
    await page.goto(`http://127.0.0.1:${port}/intake`);
    await page.getByRole("link", { name: "other.csv" }).click();
    await page.getByRole("button", { name: "Take 84 tables" }).click();
    await page.getByRole("status").getByText("84 revised").waitFor({ timeout: 30_000 });
    assert.equal(Number(sql("SELECT COUNT(*) FROM jurado.submissions")), Number(before) + 84);
    // A database that may only be read: tables can be looked at, a change is refused with a sentence, and whoever watches is told.
    const token = await page.locator("input[name=token]").first().inputValue();
    const table = sql("SELECT id FROM jurado.sheets ORDER BY id DESC LIMIT 1").trim();
    const version = sql(`SELECT version FROM jurado.sheets WHERE id = ${table}`).trim();
    sql("SET GLOBAL read_only = 1");
    const at = (path) => `http://127.0.0.1:${port}${path}`;
    assert.equal((await page.goto(at(`/bench/${table}`))).status(), 200, "the courtesy of holding it fails, and the page does not");
    const refused = await page.request.post(at(`/bench/${table}/decide`), { form: { token, version, finding: "line:calculation", action: "points", points: "1", reason: "x" }, maxRedirects: 0 });
    assert.equal(refused.status(), 503);
    assert.match(await refused.text(), /The database may only be read at the moment/);
    const health = await page.request.get(at("/health"));
    assert.equal(health.status(), 503);
    assert.equal(await health.text(), "the database may only be read at the moment\n");
    sql("SET GLOBAL read_only = 0");
    await wait(1_100);
    assert.equal((await page.request.get(at("/health"))).status(), 200);
    const decided = await page.request.post(at(`/bench/${table}/decide`), { form: { token, version, finding: "line:calculation", action: "points", points: "1", reason: "x" }, maxRedirects: 0 });
    assert.equal(decided.status(), 303, "nothing was half-done");
  } finally {
    await browser.close();
    app.kill("SIGTERM");
    database.kill("SIGTERM");
  }
});
