// Intake as a person meets it: a good file, a mixed one, unusable ones, the same one twice, and a database that stops.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { binary, sql, startApp, passwords, postSignIn } from "./app.mjs";

let app, csv, dir, HEADER;
before(async () => {
  app = await startApp("intake");
  dir = mkdtempSync(join(tmpdir(), "jurado-intake-"));
  execFileSync(binary, ["demo", "--out", dir]);
  csv = readFileSync(join(dir, "submissions.csv"), "utf8");
  HEADER = `${csv.split("\n")[0]}\n`;
});
after(async () => {
  await app?.stop();
  // One of the files is as large as what is refused.
  if (dir) rmSync(dir, { recursive: true });
});

const file = (name, content) => { const path = join(dir, name); writeFileSync(path, content); return path; };
const bring = async (page, path, lab) => {
  await page.goto(`${app.origin}/intake`);
  if (lab) await page.locator("#lab").selectOption({ label: lab });
  await page.locator("#file").setInputFiles(path);
  await page.getByRole("button", { name: "Look at it first" }).click();
};
const rowsOf = (team) => csv.split("\n").filter((l) => l.split(",")[1] === team);
const count = (table) => Number(sql(`SELECT COUNT(*) FROM ${table}`, app.database));

test("a file is looked at, taken, judged, and bringing it again changes nothing", async () => {
  const page = await app.reviewer1();
  const before = count("submissions");
  // Bittern measured once more: another diameter.
  const text = HEADER + rowsOf("Bittern").join("\n").replace("disc_mass,,", "disc_mass,,1") + "\n";
  const path = file("again.csv", text);
  await bring(page, path);
  await page.getByRole("heading", { name: "again.csv" }).waitFor();
  assert.match(await page.locator("main").textContent(), /a table is in already/);
  assert.equal(count("submissions"), before, "nothing is stored by looking");
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").getByText("1 revised").waitFor();
  assert.equal(count("submissions"), before + 1);
  await app.bench(page, "Bittern");
  assert.match(await page.locator(".title").textContent(), /revision 2/);
  await bring(page, path);
  await page.getByRole("status").getByText("This file is in already").waitFor();
  assert.equal(await page.getByRole("button", { name: /^Take/ }).count(), 0);
  assert.equal(count("submissions"), before + 1);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("good rows are offered, the others wait in quarantine with the reason, and are settled", async () => {
  const page = await app.reviewer1();
  const good = rowsOf("Curlew").join("\n").replaceAll(",mm,", ", mm ,");
  const bad = "Morning,Nobody,4,zero,,0.02,mm,,,,\nMidnight,Curlew,4,zero,,0.02,mm,,,,\nMorning,Alfa,1,plate_lenght,,84.20,mm,,,,\nMorning,Alfa,9,zero,,0.02,mm,,,,\nFirst Dog,Zulu,4,zero,,0.02,mm,,,,";
  await bring(page, file("mixed.csv", `${HEADER}${good}\n${bad}\n`));
  const held = page.locator(".heldlist").first();
  await held.getByText("there is no team `Nobody` in Morning").waitFor();
  for (const words of ["there is no section `Midnight`", "did you mean `plate_length`?", "there is no station `9`", "`First Dog` is not one of yours"]) await held.getByText(words).waitFor();
  await held.getByText(`line ${rowsOf("Curlew").length + 2}, column 9`).first().waitFor();
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").getByText("5 rows in quarantine").waitFor();
  await page.goto(`${app.origin}/docket`);
  await page.getByText("5 rows").waitFor();
  await page.goto(`${app.origin}/intake`);
  const rows = page.locator("#quarantine tbody tr");
  assert.equal(await rows.count(), 5);
  await rows.first().getByRole("button", { name: "Seen to" }).click();
  await page.waitForFunction(() => document.querySelectorAll("#quarantine tbody tr").length === 4);
  await page.context().close();
});

test("rows that wait stand on their table's Bench, cost nothing there, and are released or dropped", async () => {
  const page = await app.reviewer1();
  const rows = rowsOf("Alfa");
  const spoiled = rows.map((row) => row.replace(",disc_mass,", ",disc_mas,").replace(",rod_mass,", ",rod_mas,"));
  await bring(page, file("spoiled.csv", `${HEADER}${spoiled.join("\n")}\n`));
  // Added to the sound table there is, nothing would be missing.
  await page.getByRole("link", { name: "Replace them instead" }).click();
  await page.getByRole("button", { name: "Replace with 1 table" }).click();
  await page.getByRole("status").getByText("2 rows in quarantine").waitFor();
  await app.bench(page, "Alfa");
  const waits = page.locator("#waits");
  await waits.getByRole("heading", { name: "2 rows wait in quarantine" }).waitFor();
  const line = async () => (await page.locator(".score tr", { hasText: "Completeness" }).first().innerText()).replace(/\s+/g, " ");
  const whole = await line();
  const wrong = waits.getByRole("textbox").first();
  const right = (await wrong.inputValue()).replace("disc_mas,", "disc_mass,");
  await wrong.fill(right.replace("disc_mass,", "disc_maas,"));
  await waits.getByRole("button", { name: "Mend and release" }).first().click();
  await page.getByRole("alert").getByText("The row still cannot be used: `disc_maas` is no reading or result").waitFor();
  assert.match(await wrong.inputValue(), /disc_maas/, "what was typed stays, on the Bench");
  await wrong.fill(right);
  await waits.getByRole("button", { name: "Mend and release" }).first().click();
  await waits.getByRole("heading", { name: "1 row waits in quarantine" }).waitFor();
  assert.equal(await line(), whole, "nothing is charged while a row waits");
  await waits.getByRole("button", { name: "Drop it" }).click();
  await page.waitForFunction(() => !document.querySelector("#waits"));
  assert.notEqual(await line(), whole, "what the dropped row held is missing now");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a file of some columns adds to the table that is in, unless it is to take its place", async () => {
  const page = await app.reviewer1();
  const cells = () => JSON.parse(sql("SELECT u.body FROM submissions u JOIN sheets s ON s.submission_id=u.id JOIN labs l ON l.id=s.lab_id JOIN teams t ON t.id=s.team_id WHERE l.slug='keel-plate' AND s.stage IS NOT NULL AND t.name='Delta'", app.database)).cells;
  const before = cells().length;
  const one = (value) => {
    const row = rowsOf("Delta").find((l) => l.includes(",plate_mass,")).split(",");
    return file(`mass-${value}.csv`, `${HEADER}${row.with(HEADER.trim().split(",").indexOf("value"), value).join(",")}\n`);
  };
  await bring(page, one("71.11"), "Keel plate");
  await page.getByText("adds to the table that is in: 1 cell would change").waitFor();
  await page.getByText("This file holds only some of what is in").waitFor();
  await page.getByRole("button", { name: "Take 1 table" }).click();
  await page.getByRole("status").getByText("1 revised").waitFor();
  assert.equal(cells().length, before);
  assert.equal(cells().find((c) => c.item === "plate_mass").value, "71.11");
  await bring(page, one("72.22"), "Keel plate");
  await page.getByRole("link", { name: "Replace them instead" }).click();
  await page.getByText("what this file does not hold goes").waitFor();
  await page.getByRole("button", { name: "Replace with 1 table" }).click();
  await page.getByRole("status").getByText("1 revised").waitFor();
  assert.deepEqual(cells().map((c) => c.value), ["72.22"]);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("unusable files are told with line, column and mend, and the server lives on", async () => {
  const page = await app.coordinator();
  const cases = [
    ["empty.csv", "", /No file was chosen|the file is empty/],
    ["latin.csv", Buffer.from("section,team,item,value\nMorning,Alfa,zero,0,02 \xb1\n", "latin1"), /0xB1 is not UTF-8/],
    ["columns.csv", "section,team,station\nMorning,Alfa,1\n", /[Ll]ine 1, column 1: the first line lacks the columns item, value/],
    ["wide.csv", `section,team,item,value${",x".repeat(10000)}\n`, /more than 200 columns|there twice/],
    ["nul.csv", Buffer.alloc(5000), /full of NUL bytes/],
    ["utf16.csv", Buffer.from("\ufeffsection,team", "utf16le"), /UTF-16/],
    ["rows.csv", HEADER + "Morning,Alfa,1,zero,,0,mm,,,,\n".repeat(700_000), /more than 200000 rows|larger than 20 megabytes/],
  ];
  for (const [name, content, told] of cases) {
    await bring(page, file(name, content));
    const alert = page.locator("[role=alert], .heldlist").first();
    await alert.waitFor();
    assert.match(await page.locator("main").textContent(), told, name);
  }
  const answer = await page.goto(`${app.origin}/health`);
  assert.equal(answer.status(), 200);
  await page.context().close();
});

test("a 200 MB file is refused and the server lives on", async () => {
  const page = await app.coordinator();
  await bring(page, file("huge.csv", Buffer.alloc(200 * 1024 * 1024, "Morning,Alfa,1,zero,,0,mm,,,\n")));
  await page.getByRole("alert").getByText("larger than 20 megabytes").waitFor({ timeout: 60_000 });
  assert.equal((await page.goto(`${app.origin}/health`)).status(), 200);
  await page.context().close();
});

test("a reading copied wrongly is repaired until somebody refuses, and the refusal can be undone", async () => {
  const page = await app.coordinator();
  // Hotel worked with 292.45 g; two digits are swapped in the table.
  const lines = rowsOf("Hotel").map((l) => l.replace("plate_mass,,292.45", "plate_mass,,229.45"));
  assert.ok(lines.some((l) => l.includes("229.45")), "the demo's Hotel weighed 292.45 g");
  await bring(page, file("hotel.csv", HEADER + lines.join("\n") + "\n"));
  await page.getByRole("button", { name: /^Take/ }).click();
  await app.bench(page, "Hotel");
  await page.locator(".fd.now", { hasText: "copied wrongly" }).waitFor();
  assert.match(await page.locator(".rungs tr", { hasText: "8.390" }).textContent(), /agrees/);
  assert.match(await page.locator("main").textContent(), /229\.45/, "what was typed stays");
  await page.keyboard.press("d");
  await page.getByLabel("Judge what is written, without the repair").check();
  await page.getByLabel("Reason, kept beside the mark").first().fill("the photo of the balance shows 229.45");
  await page.getByRole("button", { name: "Decide" }).first().click();
  await page.locator(".rungs tr", { hasText: "8.390" }).getByText("slip").waitFor();
  assert.equal(await page.locator(".fd", { hasText: "until somebody refuses" }).count(), 0);
  await page.keyboard.press("u");
  await page.locator(".fd.now", { hasText: "copied wrongly" }).waitFor();
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("semicolons and a decimal comma are taken, and pasted lines too", async () => {
  const page = await app.coordinator();
  await page.goto(`${app.origin}/intake`);
  await page.locator("#pasted").fill("section;team;station;item;row;value;unit\nMorning;Delta;5;zero;;0,02;mm\nMorning;Delta;5;plate_length;;93,96;mm\n");
  await page.getByRole("button", { name: "Look at it first" }).click();
  await page.getByText("Columns are parted by a semicolon.").waitFor();
  await page.getByRole("button", { name: "Put aside" }).click();
  await page.waitForURL("**/intake");
  await page.getByText("put aside").first().waitFor();
  await page.context().close();
});

test("a form without its token, and one from nobody, change nothing", async () => {
  const page = await app.coordinator();
  for (const path of ["/bench/1/decide", "/bench/1/undo", "/bench/1/sign", "/intake/1/take", "/intake/1/drop", "/quarantine/1/settle", "/returns/release", "/sign-out"]) {
    const form = { token: "0".repeat(48), version: "1", finding: "x", action: "accept" };
    const answer = await page.request.post(app.origin + path, { form, maxRedirects: 0 });
    assert.equal(answer.status(), 403, path);
    const nobody = await app.page();
    const refused = await nobody.request.post(app.origin + path, { form, maxRedirects: 0 });
    assert.equal(refused.status(), 303, path);
    assert.equal(refused.headers().location, "/sign-in");
    await nobody.context().close();
  }
  for (const path of ["/", "/docket", "/bench", "/bench/1", "/intake", "/intake/1", "/returns", "/returns/1", "/returns/marks.csv"]) {
    const nobody = await app.page();
    const answer = await nobody.request.get(app.origin + path, { maxRedirects: 0 });
    assert.equal(answer.status(), 303, path);
    await nobody.context().close();
  }
  const reviewer = await app.reviewer1();
  const token = await reviewer.locator("input[name=token]").first().inputValue();
  assert.equal((await reviewer.request.post(`${app.origin}/returns/release`, { form: { token } })).status(), 403, "a role that may not");
  await page.context().close();
  await reviewer.context().close();
});

test("wrong passwords make a name wait at their own address, and nobody else", async () => {
  const page = await app.page();
  const statuses = [];
  for (let i = 0; i < 9; i++) statuses.push((await postSignIn(page.request, app.origin, "reviewer2", "no")).status());
  assert.equal(statuses[0], 422);
  assert.equal(statuses.at(-1), 429, `it waits after some tries: ${statuses}`);
  const answer = await postSignIn(page.request, app.origin, "reviewer2", passwords.reviewer2);
  assert.equal(answer.status(), 429);
  assert.match(await answer.text(), /too many tries/);
  assert.equal((await postSignIn(page.request, app.origin, "reviewer1", passwords.reviewer1)).status(), 303, "another person is let in");
  // A form that was not made for this browser signs nobody in.
  const forged = await page.request.post(`${app.origin}/sign-in`, { form: { token: "x", name: "reviewer1", password: passwords.reviewer1 }, maxRedirects: 0 });
  assert.equal(forged.status(), 403);
  await page.context().close();
});
