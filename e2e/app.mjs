// Starts the application on a database of its own for one test file, and a browser beside it.
import { spawn, execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "playwright-core";

const root = new URL("..", import.meta.url).pathname;
export const binary = process.env.JURADO ?? `${root}target/debug/jurado`;
const base = process.env.TEST_DATABASE_URL;
if (!base) throw new Error("TEST_DATABASE_URL is not set: run ./test");

const freePort = () => new Promise((resolve, reject) => {
  const server = createServer();
  server.once("error", reject);
  server.listen(0, "127.0.0.1", () => { const { port } = server.address(); server.close(() => resolve(port)); });
});

export const sql = (text, database = "") => {
  const url = new URL(base);
  return execFileSync("mariadb", ["--no-defaults", "-h127.0.0.1", `-P${url.port}`, `-u${url.username}`, `-p${url.password}`, "-N", ...(database ? [database] : []), "-e", text], { encoding: "utf8" });
};

/** The demo's passwords in the tests; an installation makes its own. */
export const passwords = { coordinator: "harbour light", reviewer1: "morning tide", reviewer2: "evening tide" };

export function passwordFile() {
  const file = join(mkdtempSync(join(tmpdir(), "jurado-e2e-")), "demo-passwords");
  writeFileSync(file, Object.entries(passwords).map(([n, w]) => `${n} ${w}\n`).join(""));
  return file;
}

/** Waits until what was swapped in has settled: before that, what is typed into it is not heard. */
export const settled = (page) => page.waitForFunction(() => document.readyState === "complete" && !document.querySelector(".htmx-request, .htmx-swapping, .htmx-settling, .htmx-added"));

/** Sends the form to sign in, without a browser's page: with the token and cookie that its page gives. */
export async function postSignIn(request, origin, name, password, to = "") {
  const form = await (await request.get(`${origin}/sign-in`)).text();
  const token = /name="token" value="([^"]*)"/.exec(form)[1];
  return request.post(`${origin}/sign-in`, { form: { token, name, password, to }, maxRedirects: 0 });
}

export async function startApp(name, { demo = true, labs = ["keel-plate"], more = [], env = {} } = {}) {
  if (!existsSync(binary)) throw new Error(`${binary} is not built`);
  const database = `jurado_${name}`;
  sql(`DROP DATABASE IF EXISTS ${database}; CREATE DATABASE ${database} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  const of = (place) => place.replace(/\/jurado$/, `/${database}`);
  const url = of(process.env.TEST_SERVING_URL ?? base);
  const port = await freePort();
  const words = demo ? ["--demo", "--demo-passwords", passwordFile(), ...labs.flatMap((l) => ["--demo-lab", l])] : [];
  let child, told, said;
  /** Starts the program on the database as it is. */
  const begin = async () => {
    [told, said] = ["", ""];
    child = spawn(binary, ["serve", "--port", String(port), ...words, ...more], {
      cwd: root,
      env: { ...process.env, DATABASE_URL: url, MIGRATE_DATABASE_URL: of(base), ...env },
      stdio: ["ignore", "pipe", "pipe"],
    });
    child.stderr.on("data", (d) => { told += d; });
    await new Promise((resolve, reject) => {
      child.stdout.on("data", (d) => {
        said += d;
        if (said.includes("answers on")) resolve();
      });
      child.once("exit", (code) => reject(new Error(`the application ended with ${code}: ${told}`)));
    });
  };
  const end = async () => {
    child.kill("SIGTERM");
    await new Promise((resolve) => { if (child.exitCode !== null) resolve(); else child.once("exit", resolve); });
  };
  await begin();
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
  });
  const origin = `http://127.0.0.1:${port}`;
  const app = {
    origin, database, url,
    /** What it printed, on standard output and standard error. */
    printed: () => ({ said, told }),
    /** Ends the program and starts it again on the same database. */
    async restart() {
      await end();
      await begin();
    },
    /** A page with errors of its console collected. */
    async page(options = {}) {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, acceptDownloads: true, ...options });
      const page = await context.newPage();
      page.setDefaultTimeout(Number(process.env.E2E_PATIENCE ?? 30_000));
      page.faults = [];
      page.on("pageerror", (e) => page.faults.push(e.message));
      page.on("console", (m) => { if (m.type() === "error" && !/status of (4|5)\d\d/.test(m.text())) page.faults.push(m.text()); });
      return page;
    },
    async signIn(name, password, options) {
      const page = await app.page(options);
      await page.goto(`${origin}/sign-in`);
      await page.getByLabel("Name").fill(name);
      await page.getByLabel("Password").fill(password);
      await page.getByRole("button", { name: "Sign in" }).click();
      await page.waitForURL("**/docket");
      return page;
    },
    coordinator: (options) => app.signIn("coordinator", passwords.coordinator, options),
    reviewer1: (options) => app.signIn("reviewer1", passwords.reviewer1, options),
    reviewer2: (options) => app.signIn("reviewer2", passwords.reviewer2, options),
    /** Waits until something holds, for so many seconds at most. */
    async until(holds, seconds = 20) {
      for (const end = Date.now() + 1000 * seconds; !(await holds()); ) {
        if (Date.now() > end) throw new Error(`it did not come to be in ${seconds} s: ${holds}`);
        await new Promise((resolve) => setTimeout(resolve, 200));
      }
    },
    /** From the Docket to a team's table. */
    async bench(page, team) {
      await page.goto(`${origin}/returns`);
      await page.getByRole("link", { name: team, exact: true }).click();
      await page.getByRole("link", { name: "To the Bench" }).click();
      // The sheet has the same heading: it is the address that tells the Bench.
      await page.waitForURL("**/bench/*");
      await page.getByRole("heading", { level: 1, name: team }).waitFor();
      // Keys work once the page's script has run.
      await page.waitForLoadState("load");
    },
    async stop() {
      await browser.close();
      await end();
      sql(`DROP DATABASE IF EXISTS ${database}`);
    },
  };
  return app;
}
