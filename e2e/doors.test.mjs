// The doors: every route for every role, sessions that end, what a request may not carry, and the way in without a demo.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { request as ask } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { passwords, postSignIn, sql, startApp } from "./app.mjs";

const root = new URL("..", import.meta.url).pathname;
let app;
before(async () => { app = await startApp("doors"); });
after(async () => { await app.stop(); });

/** All routes of the application, as its table of routes has them. */
const routes = [...readFileSync(`${root}crates/web/src/app.rs`, "utf8").matchAll(/\.route\("([^"]+)", web::(get|post)\(\)/g)]
  .map(([, path, method]) => `${method.toUpperCase()} ${path}`);

/** Somebody with a session, without a browser's page. */
async function person(name, word = passwords[name]) {
  const page = await app.page();
  const answer = await postSignIn(page.request, app.origin, name, word);
  assert.equal(answer.status(), 303, `${name} is let in`);
  const text = await (await page.request.get(`${app.origin}/account`)).text();
  const token = /name="token" value="([^"]*)"/.exec(text)[1];
  const send = (method, path, form) => page.request.fetch(`${app.origin}${path}`, {
    method, maxRedirects: 0, ...(form ? { form } : {}),
  });
  return { page, token, send, close: () => page.context().close() };
}

test("every route asks for whoever may use it, and a session that was ended opens none", async () => {
  const query = (text) => sql(text, app.database).trim();
  const lab = query("SELECT id FROM labs WHERE slug = 'keel-plate'");
  const table = (section) => query(`SELECT s.id FROM sheets s JOIN sections x ON x.id = s.section_id WHERE x.term_id = 0 AND x.name = '${section}' ORDER BY s.id LIMIT 1`);
  const section = (name) => query(`SELECT id FROM sections WHERE term_id = 0 AND name = '${name}'`);
  const chief = await person("coordinator");
  // Evening is reviewer2's: a picture of one of its tables, and a file that reviewer2 brought.
  const png = { name: "graph.png", mimeType: "image/png", buffer: Buffer.from("89504e470d0a1a0a0000000d49484452000000010000000108000000003a7e9b550000000a49444154789c636000000002000148afa4710000000049454e44ae426082", "hex") };
  const attached = await chief.page.request.post(`${app.origin}/bench/${table("Evening")}/attach`, { multipart: { token: chief.token, file: png }, maxRedirects: 0 });
  assert.equal(attached.status(), 303);
  const picture = query("SELECT MAX(id) FROM attachments");
  const second = await person("reviewer2");
  const csv = "section,team,station,item,row,value,unit,plus_minus,excluded,note\nEvening,Alfa,1,zero,,0.02,mm,,,\nEvening,Nobody,1,zero,,0.02,mm,,,\n";
  const brought = await second.page.request.post(`${app.origin}/intake`, { multipart: { token: second.token, lab, file: { name: "theirs.csv", mimeType: "text/csv", buffer: Buffer.from(csv) } }, maxRedirects: 0 });
  assert.equal(brought.status(), 303);
  const file = brought.headers().location.split("/").at(-1);
  await second.send("POST", `/intake/${file}/take`, { token: second.token });
  const held = query("SELECT MAX(id) FROM quarantine");
  const one = query("SELECT id FROM users WHERE sign_in = 'reviewer1'");
  // Taken out so long ago that nobody brings it back.
  query(`INSERT INTO removals (lab_id, whole_lab, reason, user_id, at) VALUES (${lab}, 0, 'x', ${one}, '2020-01-01')`);
  const out = query("SELECT MAX(id) FROM removals");
  query(`INSERT INTO storeroom_notes (lab_id, key_id, at_value, body, user_id, written_at) VALUES (${lab}, 'station', '3', 'x', ${one}, '2026-01-01')`);
  const note = query("SELECT MAX(id) FROM storeroom_notes");
  // A table to be marked a second time by each of the reviewers.
  for (const [who, where] of [["reviewer1", "Evening"], ["reviewer2", "Morning"]]) {
    query(`INSERT INTO second_marks (sheet_id, submission_id, user_id, at_random, asked_by, asked_at, decisions, twice) SELECT id, submission_id, (SELECT id FROM users WHERE sign_in = '${who}'), 1, ${one}, '2026-01-01', '[]', '[]' FROM sheets WHERE id = ${table(where)}`);
  }
  const again = (who) => query(`SELECT MAX(id) FROM second_marks WHERE user_id = (SELECT id FROM users WHERE sign_in = '${who}')`);
  // A ruling of which no table has a finding.
  const pattern = JSON.stringify({ id: 0, protocol: "keel-plate", code: "none", action: { do: "forgive" }, reason: "x" });
  query(`INSERT INTO rulings (lab_id, pattern, reason, touched, user_id, at) VALUES (${lab}, '${pattern}', 'x', 0, ${one}, '2026-01-01')`);
  const ruling = query("SELECT MAX(id) FROM rulings");

  // What each route is: open to anybody, a coordinator's, of a table, section or file that may be another's; and a form that
  // is whole and changes nothing.
  const based = { version: "0" };
  const decide = { ...based, finding: "line:calculation", action: "points", points: "1", reason: "x" };
  const evening = table("Evening"), morning = table("Morning");
  const asked = Object.fromEntries([evening, morning].map((sheet) => {
    query(`INSERT INTO questions (sheet_id, line_key, says, body, asked_at) VALUES (${sheet}, 'x', 'x', 'x', '2026-01-01')`);
    return [sheet, query("SELECT MAX(id) FROM questions")];
  }));
  const tokens = Object.fromEntries(["reviewer1", "reviewer2"].map((who) => {
    query(`INSERT INTO api_tokens (user_id, name, digest, brings, made_at, until) SELECT id, 'x', SHA2('${who}', 256), 0, '2026-01-01', '2099-01-01' FROM users WHERE sign_in = '${who}'`);
    return [who, query("SELECT MAX(id) FROM api_tokens")];
  }));
  // A practice class of each reviewer, and an example.
  const practised = {};
  for (const [who, p] of [["reviewer1", await person("reviewer1")], ["reviewer2", second]]) {
    const begun = await p.send("POST", "/practice", { token: p.token, lab, kind: "plain" });
    assert.equal(begun.status(), 303);
    practised[who] = begun.headers().location.split("/")[2];
    if (p !== second) await p.close();
  }
  query(`INSERT INTO practice_examples (lab_id, protocol_id, says, body, truth, user_id, at) SELECT id, protocol_id, 'x', '{}', '{}', ${one}, '2026-01-01' FROM labs WHERE id = ${lab}`);
  const example = query("SELECT MAX(id) FROM practice_examples");
  const practice = (rest, form) => ({ at: (id) => `/practice/${id}${rest}`, theirs: practised.reviewer2, mine: practised.reviewer1, form });
  const bench = (rest, form) => ({ at: (id) => `/bench/${id}${rest}`, theirs: evening, mine: morning, form });
  const what = {
    "GET /": {},
    "GET /sign-in": { open: true },
    "POST /sign-in": { open: true, form: { name: "x", password: "y" } },
    "GET /sign-in/college": { open: true },
    "GET /sign-in/college/back": { open: true },
    "POST /sign-in/college/code": { open: true, form: { code: "x" } },
    "GET /people/college": { coordinator: true },
    "POST /people/college": { coordinator: true, form: { issuer: "", client: "", secret: "" } },
    "POST /sign-out": { form: {}, last: true },
    "POST /lamp": { open: true, free: true, form: {} },
    "POST /names": { free: true, form: {} },
    "GET /account": {},
    "POST /account": { form: { old: "x", new: "x", again: "y" } },
    "GET /link/{secret}": { open: true, path: "/link/none" },
    "POST /link/{secret}": { open: true, path: "/link/none", form: { new: "x", again: "y" } },
    "GET /people": { coordinator: true },
    "POST /people": { coordinator: true, form: { sign_in: "", name: "", role: "reviewer" } },
    "POST /people/{id}": { coordinator: true, path: `/people/${one}`, form: { then: "open" } },
    "GET /course": { coordinator: true },
    "POST /course": { coordinator: true, form: { school: "", section: "", sections: "", zone: "", dates: "" } },
    "GET /course/student": { coordinator: true, path: "/course/student?number=none" },
    "POST /course/student/erase": { coordinator: true, form: { number: "none", reason: "x" } },
    "GET /people/{id}/data": { coordinator: true, path: `/people/${one}/data` },
    "POST /course/term": { coordinator: true, form: { ends: "", begins: "" } },
    "GET /terms/{id}": { path: "/terms/1" },
    "GET /terms/{id}/marks.csv": { path: "/terms/1/marks.csv" },
    "POST /shelf/{id}/back": { coordinator: true, path: `/shelf/${out}/back`, form: {} },
    "POST /bench/{id}/remove": { coordinator: true, path: `/bench/${evening}/remove`, form: { version: "0", reason: "x" } },
    "GET /floor": {},
    "GET /floor/lab": { at: () => "/floor/lab?lab=1" },
    "GET /floor/storeroom": {},
    "POST /floor/storeroom/{id}": { path: `/floor/storeroom/${note}`, form: {} },
    "GET /floor/of/{id}": { at: (id) => `/floor/of/${id}`, theirs: evening, mine: morning },
    "GET /floor/{lab}": { path: `/floor/${lab}` },
    "GET /floor/{lab}/table": { path: `/floor/${lab}/table` },
    "GET /floor/{lab}/points.csv": { path: `/floor/${lab}/points.csv` },
    "GET /floor/{lab}/wall": { path: `/floor/${lab}/wall` },
    "GET /floor/{lab}/start": { path: `/floor/${lab}/start` },
    "GET /floor/{lab}/shared": { path: `/floor/${lab}/shared` },
    "GET /floor/{lab}/place": { path: `/floor/${lab}/place?by=station&at=1` },
    "POST /floor/{lab}/note": { path: `/floor/${lab}/note`, form: { by: "nothing", at: "1", body: "x" } },
    "GET /rulings": {},
    "POST /rulings": { at: (id) => "/rulings", theirs: evening, form: { sheet: evening, finding: "slip:plate_volume", reason: "x" } },
    "GET /rulings/new": { at: (id) => `/rulings/new?sheet=${id}&finding=slip:plate_volume`, theirs: evening },
    "GET /rulings/{id}/withdraw": { path: `/rulings/${ruling}/withdraw` },
    "POST /rulings/{id}/withdraw": { path: `/rulings/${ruling}/withdraw`, form: { reason: "" } },
    "GET /second/{id}": { at: (id) => `/second/${id}`, theirs: again("reviewer2"), mine: again("reviewer1") },
    "POST /second/{id}": { at: (id) => `/second/${id}`, theirs: again("reviewer2"), mine: again("reviewer1"), form: { submission: "0" } },
    "GET /practice": {},
    "POST /practice": { form: { lab: "0", kind: "x" } },
    "POST /practice/example/{id}/close": { coordinator: true, path: `/practice/example/${example}/close`, form: {} },
    "GET /practice/{id}": practice(""),
    "GET /practice/{id}/class": practice("/class"),
    "GET /practice/{id}/{table}": practice("/1"),
    "POST /practice/{id}/{table}/decide": practice("/1/decide", decide),
    "GET /practice/{id}/{table}/try": practice("/1/try"),
    "POST /practice/{id}/{table}/try": practice("/1/try", based),
    "POST /practice/{id}/{table}/correct": practice("/1/correct", { ...based, reason: "x" }),
    "POST /practice/{id}/{table}/own": practice("/1/own", { ...based, criterion: "", points: "", text: "x" }),
    "POST /practice/{id}/{table}/say": practice("/1/say", { ...based, finding: "x", text: "x" }),
    "POST /practice/{id}/{table}/undo": practice("/1/undo", based),
    "POST /practice/{id}/{table}/sign": practice("/1/sign", based),
    "POST /practice/{id}/end": practice("/end", {}),
    "POST /bench/{id}/example": { coordinator: true, path: `/bench/${evening}/example`, form: { says: "" } },
    "GET /moderation": {},
    "GET /moderation/lab": {},
    "GET /moderation/table": {},
    "POST /moderation/round": { coordinator: true, form: {} },
    "POST /moderation/read": { form: { round: "0", remark: "x".repeat(501) } },
    "POST /moderation/draw": { coordinator: true, form: { random: "x", hanging: "" } },
    "POST /moderation/back": { coordinator: true, form: {} },
    "GET /docket": {},
    "GET /docket/clear": {},
    "POST /docket/clear": { form: { seen: "" } },
    "GET /bench": {},
    "GET /bench/{id}": bench(""),
    "POST /bench/{id}/decide": bench("/decide", decide),
    "GET /bench/{id}/try": bench("/try"),
    "POST /bench/{id}/try": bench("/try", based),
    "POST /bench/{id}/correct": bench("/correct", { ...based, reason: "x" }),
    "POST /bench/{id}/own": bench("/own", { ...based, criterion: "", points: "", text: "x" }),
    "POST /bench/{id}/say": bench("/say", { ...based, finding: "x", text: "x" }),
    "GET /bench/{id}/revisions": bench("/revisions"),
    "POST /bench/{id}/attach": { ...bench("/attach"), multipart: true },
    "POST /bench/{id}/attachment/{file}/remove": { at: (id) => `/bench/${id}/attachment/${picture}/remove`, theirs: evening, form: {} },
    "GET /attachment/{id}": { at: (id) => `/attachment/${id}`, theirs: picture },
    "POST /bench/{id}/undo": bench("/undo", based),
    "POST /bench/{id}/sign": bench("/sign", based),
    "GET /sections/{id}/codes": { at: (id) => `/sections/${id}/codes`, theirs: section("Evening"), mine: section("Morning") },
    "POST /sections/{id}/codes": { at: (id) => `/sections/${id}/codes`, theirs: section("Evening"), mine: section("Morning"), form: { then: "missing" } },
    // A team's: whoever has no code is led to the form for one.
    "GET /hand-in": { open: true },
    "POST /hand-in/code": { open: true, form: { code: "x" } },
    "GET /hand-in/with/{code}": { open: true, path: "/hand-in/with/none" },
    "POST /hand-in/leave": { open: true, form: {} },
    "GET /hand-in/receipt/{id}": { open: true, path: "/hand-in/receipt/1" },
    "GET /hand-in/earlier/{sheet}": { open: true, path: "/hand-in/earlier/1" },
    "GET /hand-in/{lab}": { open: true, path: `/hand-in/${lab}` },
    "POST /hand-in/{lab}": { open: true, path: `/hand-in/${lab}`, form: { then: "in" } },
    "GET /hand-in/{lab}/receipt": { open: true, path: `/hand-in/${lab}/receipt` },
    "GET /hand-in/picture/{id}": { open: true, path: "/hand-in/picture/1" },
    "GET /hand-in/{lab}/files": { open: true, path: `/hand-in/${lab}/files` },
    "POST /hand-in/{lab}/file": { open: true, multipart: true, path: `/hand-in/${lab}/file` },
    "POST /hand-in/{lab}/picture": { open: true, multipart: true, path: `/hand-in/${lab}/picture` },
    "POST /hand-in/{lab}/picture/{id}/remove": { open: true, path: `/hand-in/${lab}/picture/1/remove`, form: {} },
    "GET /hand-in/{lab}/blank.{ending}": { open: true, path: `/hand-in/${lab}/blank.csv` },
    "GET /hand-in/{lab}/room": { open: true, path: `/hand-in/${lab}/room` },
    "POST /hand-in/{lab}/room": { open: true, path: `/hand-in/${lab}/room`, form: {} },
    "GET /hand-in/{lab}/sheet": { open: true, path: `/hand-in/${lab}/sheet` },
    "POST /hand-in/{lab}/ask": { open: true, path: `/hand-in/${lab}/ask`, form: { line: "x", body: "x" } },
    "GET /returns/gradebook": { coordinator: true },
    "POST /returns/gradebook": { coordinator: true, form: { url: "", secret: "", then: "set" } },
    "POST /returns/gradebook/try": { coordinator: true, form: {} },
    "GET /returns/gradebook/compare": { coordinator: true },
    "POST /returns/gradebook/again": { coordinator: true, form: { column: "x" } },
    "GET /sections/roster/college": { coordinator: true },
    "GET /account/second": {},
    "POST /account/second": { form: { then: "confirm", code: "x" } },
    "GET /account/tokens": {},
    "POST /account/tokens": { form: { name: "" } },
    "POST /account/tokens/{id}/end": { at: (id) => `/account/tokens/${id}/end`, theirs: tokens.reviewer2, mine: tokens.reviewer1, form: {} },
    // With a token and no cookie: tested where its page is.
    "GET /api/v1/openapi.json": { open: true },
    "GET /api/v1/labs": { open: true },
    "GET /api/v1/labs/{lab}/tables": { open: true, path: "/api/v1/labs/keel-plate/tables" },
    "POST /api/v1/labs/{lab}/tables": { open: true, path: "/api/v1/labs/keel-plate/tables", form: {} },
    "GET /api/v1/tables/{id}/verdict": { open: true, path: `/api/v1/tables/${morning}/verdict` },
    "GET /api/v1/marks": { open: true },
    "GET /asked": {},
    "POST /asked/{id}": { at: (id) => `/asked/${id}`, theirs: asked[evening], mine: asked[morning], form: { body: "x" } },
    "GET /intake": {},
    "POST /intake": { multipart: true, path: "/intake" },
    "GET /intake/lot": { path: `/intake/lot?ids=`, },
    "POST /intake/lot": { form: { ids: "" } },
    "POST /intake/{id}/columns": { at: (id) => `/intake/${id}/columns`, theirs: file, form: { "m.0": "team" } },
    "POST /intake/{id}/teams": { at: (id) => `/intake/${id}/teams`, theirs: file, form: {} },
    "POST /intake/{id}/lab": { at: (id) => `/intake/${id}/lab`, theirs: file, form: { lab } },
    "GET /entry": { at: (id) => `/entry?lab=${lab}&section=${id}`, theirs: section("Evening"), mine: section("Morning") },
    "POST /entry": { multipart: true, path: "/entry" },
    "GET /sections": {},
    "POST /sections/change": { coordinator: true, form: { then: "add-section", text: "" } },
    "POST /sections/roster": { coordinator: true, form: { text: "" } },
    "GET /sections/roster.csv": {},
    "GET /sections/{section}/{lab}": { at: (id) => `/sections/${id}/${lab}`, theirs: section("Evening"), mine: section("Morning") },
    "POST /sections/{section}/{lab}": { at: (id) => `/sections/${id}/${lab}`, theirs: section("Evening"), mine: section("Morning"), form: { then: "look", version: "0", reason: "" } },
    "POST /quarantine/{id}/mend": { at: (id) => `/quarantine/${id}/mend`, theirs: held, form: { text: "x" } },
    "GET /intake/{id}": { at: (id) => `/intake/${id}`, theirs: file },
    "POST /intake/{id}/take": { at: (id) => `/intake/${id}/take`, theirs: file, form: {} },
    "POST /intake/{id}/drop": { at: (id) => `/intake/${id}/drop`, theirs: file, form: {} },
    "POST /quarantine/{id}/settle": { at: (id) => `/quarantine/${id}/settle`, theirs: held, form: {} },
    "GET /quick": {},
    "POST /quick/{lab}": { path: `/quick/${lab}`, form: {} },
    "GET /protocols": {},
    "GET /protocols/new": { coordinator: true },
    "POST /protocols/new": { coordinator: true, form: { text: "x" } },
    "POST /protocols/new/check": { coordinator: true, form: { text: "x" } },
    "POST /protocols/new/file": { coordinator: true, multipart: true, path: "/protocols/new/file" },
    "POST /protocols/{lab}/term": { coordinator: true, path: `/protocols/${lab}/term`, form: { then: "back" } },
    "GET /protocols/{lab}/version/{id}": { path: `/protocols/${lab}/version/${query(`SELECT protocol_id FROM labs WHERE id=${lab}`)}` },
    "POST /protocols/{lab}/remove": { coordinator: true, path: `/protocols/${lab}/remove`, form: { reason: "" } },
    "GET /protocols/{lab}": { path: `/protocols/${lab}` },
    "GET /protocols/{lab}/edit": { coordinator: true, path: `/protocols/${lab}/edit` },
    "POST /protocols/{lab}/edit": { coordinator: true, path: `/protocols/${lab}/edit`, form: { text: "x", version: "0" } },
    "POST /protocols/{lab}/check": { coordinator: true, path: `/protocols/${lab}/check`, form: { text: "x", version: "0" } },
    "POST /protocols/{lab}/force": { coordinator: true, path: `/protocols/${lab}/force`, form: { protocol: query("SELECT protocol_id FROM labs WHERE slug = 'keel-plate'"), reason: "" } },
    "POST /protocols/{lab}/folder": { coordinator: true, path: `/protocols/${lab}/folder`, form: { digest: "x", then: "leave", reason: "" }, missing: true },
    "GET /protocols/{lab}/stations": { coordinator: true, path: `/protocols/${lab}/stations` },
    "POST /protocols/{lab}/stations": { coordinator: true, path: `/protocols/${lab}/stations`, form: { version: "0" } },
    "GET /protocols/{lab}/paper": { path: `/protocols/${lab}/paper` },
    "GET /protocols/{lab}/sheet/{ending}": { path: `/protocols/${lab}/sheet/csv` },
    "GET /returns": {},
    "GET /returns/release": { coordinator: true },
    "POST /returns/release": { coordinator: true, form: { lab: "0" } },
    "GET /returns/marks.{ending}": { path: "/returns/marks.csv" },
    "GET /returns/package/{lab}": { path: `/returns/package/${lab}` },
    "GET /returns/batch": { path: `/returns/batch?lab=${lab}&section=${section("Morning")}` },
    "GET /returns/moved": { coordinator: true },
    "POST /returns/moved": { coordinator: true, form: { reason: "" } },
    "GET /returns/{id}": { at: (id) => `/returns/${id}`, theirs: evening, mine: morning },
    "GET /metrics": { open: true },
    "GET /health": { open: true },
    "GET /assets/{path:.*}": { open: true, path: "/assets/theme.css" },
  };
  assert.deepEqual(routes.filter((r) => !(r in what)), [], "a route that this table does not know");
  assert.deepEqual(Object.keys(what).filter((r) => !routes.includes(r)), [], "a row without a route");

  const nobody = await app.page();
  const outside = async (name, r, send) => {
    const [method, pattern] = name.split(" ");
    const path = r.path ?? (r.at ? r.at(r.theirs) : pattern);
    const answer = await send(method, path, method === "POST" ? { token: "x", ...r.form } : undefined);
    if (r.open) assert.notEqual(answer.headers().location?.startsWith("/sign-in"), true, `${name} is open`);
    else {
      assert.equal(answer.status(), 303, `${name} for nobody`);
      assert.match(answer.headers().location, /^\/sign-in/, name);
    }
  };
  const first = await person("reviewer1");
  const entries = Object.entries(what);
  for (const [name, r] of entries) {
    await outside(name, r, (method, path, form) => nobody.request.fetch(`${app.origin}${path}`, { method, form, maxRedirects: 0 }));
    const [method, pattern] = name.split(" ");
    if (r.open || r.last) continue;
    const path = (id) => r.path ?? (r.at ? r.at(id) : pattern);
    const mine = r.mine ?? r.theirs;
    if (method === "POST" && !r.free && !r.multipart) {
      for (const token of ["", "x", second.token]) {
        assert.equal((await first.send(method, path(mine), { ...r.form, token })).status(), 403, `${name} with the token “${token}”`);
      }
    }
    const form = (token) => (method === "POST" && !r.multipart ? { ...r.form, token } : undefined);
    if (r.coordinator) {
      assert.equal((await first.send(method, path(), form(first.token))).status(), 403, `${name} is the coordinator's`);
      const status = (await chief.send(method, path(), form(chief.token))).status();
      assert.ok(r.missing ? status === 404 : ![401, 403, 404, 500].includes(status), `${name} for the coordinator: ${status}`);
      continue;
    }
    if (r.multipart) continue;
    if (r.theirs) assert.equal((await first.send(method, path(r.theirs), form(first.token))).status(), 404, `${name}: another's looks like none`);
    if (r.mine || !r.theirs) {
      const status = (await first.send(method, path(r.mine), form(first.token))).status();
      assert.ok(![401, 403, 404, 500].includes(status), `${name} for whose it is: ${status}`);
    }
  }
  // An auditor reads all that is there and changes nothing, whichever form is sent.
  query("INSERT INTO users (sign_in, name, role, password_hash, epoch, made_at, demo) SELECT 'auditor1', 'Auditor', 'auditor', password_hash, epoch, made_at, demo FROM users WHERE sign_in = 'reviewer1'");
  const auditor = await person("auditor1", passwords.reviewer1);
  const own = ["/sign-out", "/lamp", "/names", "/account", "/account/second", "/account/tokens", "/account/tokens/{id}/end", "/quick/{lab}", "/bench/{id}/try", "/practice/{id}/{table}/try"];
  let [refused, read] = [0, 0];
  for (const [name, r] of entries.filter(([, r]) => !r.open && !r.last)) {
    const [method, pattern] = name.split(" ");
    if (method === "POST" && own.includes(pattern)) continue;
    if (r.multipart) {
      const file = { name: "a.csv", mimeType: "text/csv", buffer: Buffer.from("item,value\nzero,0.02\n") };
      const fields = { token: auditor.token, lab, section: section("Morning"), team: "Alfa", file };
      const answer = await auditor.page.request.post(`${app.origin}${r.path ?? r.at(r.mine)}`, { multipart: fields, maxRedirects: 0 });
      assert.equal(answer.status(), 403, `${name} takes a file of an auditor`);
      refused++;
      continue;
    }
    const path = r.path ?? (r.at ? r.at(r.theirs) : pattern);
    const status = (await auditor.send(method, path, method === "POST" ? { ...r.form, token: auditor.token } : undefined)).status();
    if (method === "POST") { assert.equal(status, 403, `${name} changes something for an auditor`); refused++; }
    else { assert.ok(r.missing || ![401, 403, 500].includes(status), `${name} is not read by an auditor: ${status}`); read++; }
  }
  assert.ok(refused > 40 && read > 40, `${refused} refused, ${read} read`);
  assert.equal(query(`SELECT COUNT(*) FROM sheets WHERE taken_by = (SELECT id FROM users WHERE sign_in = 'auditor1')`), "0", "an auditor has no table in hand");
  // Nor is an auditor shown a form that would be refused; what only looks, and one's own account, are there.
  for (const [path, name, there] of [[`/bench/${morning}`, /^(Take|Sign|Change points|Add a finding|Otherwise)/, false], ["/course", /^Set it/, false], ["/practice", /^Begin/, false], [`/quick?lab=${lab}`, "Look", true], ["/account/tokens", /^Make/, true]]) {
    await auditor.page.goto(`${app.origin}${path}`);
    assert.equal((await auditor.page.locator("main button:visible, main summary:visible").filter({ hasText: name }).count()) > 0, there, `${path} for an auditor`);
  }
  await auditor.close();
  // Signed out, the cookie of before opens nothing, here and wherever it was copied to.
  const cookie = (await first.page.context().cookies()).find((c) => c.name === "jurado").value;
  assert.equal((await first.send("POST", "/sign-out", { token: first.token })).status(), 303);
  const copied = (method, path, form) => nobody.request.fetch(`${app.origin}${path}`, { method, form, headers: { cookie: `jurado=${cookie}` }, maxRedirects: 0 });
  for (const [name, r] of entries.filter(([, r]) => !r.open)) await outside(name, r, copied);
  for (const p of [chief, first, second]) await p.close();
  await nobody.context().close();
});

test("another password, another role and being closed end the sessions there are", async () => {
  const chief = await person("coordinator");
  const reviewer = await person("reviewer1");
  const elsewhere = await person("reviewer1");
  const change = (old, next, again = next) => reviewer.send("POST", "/account", { token: reviewer.token, old, new: next, again });
  for (const [old, next, again, says] of [
    ["wrong", "a much longer word", "a much longer word", /you have now is another one/],
    [passwords.reviewer1, "short", "short", /fewer than 10 characters/],
    [passwords.reviewer1, "a much longer word", "another one", /do not agree/],
    [passwords.reviewer1, "reviewer1 for ever", "reviewer1 for ever", /holds the name/],
  ]) {
    const answer = await change(old, next, again);
    assert.equal(answer.status(), 422);
    assert.match(await answer.text(), says);
  }
  assert.equal((await change(passwords.reviewer1, "a much longer word")).status(), 303);
  assert.equal((await reviewer.send("GET", "/docket")).status(), 200, "who changed it stays signed in");
  assert.equal((await elsewhere.send("GET", "/docket")).status(), 303, "and is signed out elsewhere");
  const again = await person("reviewer1", "a much longer word");
  const id = sql("SELECT id FROM users WHERE sign_in = 'reviewer1'", app.database).trim();
  for (const [then, lets] of [["coordinator", true], ["reviewer", true], ["close", false], ["open", true]]) {
    const session = await (lets || then === "close" ? again : again);
    assert.equal((await chief.send("POST", `/people/${id}`, { token: chief.token, then })).status(), 303, then);
    if (then !== "open") assert.equal((await session.send("GET", "/docket")).status(), 303, `${then} ends the session`);
    const page = await app.page();
    const status = (await postSignIn(page.request, app.origin, "reviewer1", "a much longer word")).status();
    assert.equal(status, lets ? 303 : 422, then);
    await page.context().close();
  }
  // Only the last coordinator cannot go.
  const me = sql("SELECT id FROM users WHERE sign_in = 'coordinator'", app.database).trim();
  const refused = await chief.send("POST", `/people/${me}`, { token: chief.token, then: "close" });
  assert.equal(refused.status(), 422);
  assert.match(await refused.text(), /the only coordinator/);
  for (const p of [chief, reviewer, elsewhere, again]) await p.close();
});

test("what a request may not carry is refused, and nobody is sent on to a stranger", async () => {
  const page = await app.page();
  const packed = await page.request.fetch(`${app.origin}/sign-in`, { method: "POST", headers: { "Content-Encoding": "gzip", "Content-Type": "application/x-www-form-urlencoded" }, data: Buffer.from("1f8b0800", "hex"), maxRedirects: 0 });
  assert.equal(packed.status(), 415);
  for (const to of ["//evil.example/", "/\t/evil.example/", "https://evil.example/", "/docket\r\nX: y", "/\\evil.example"]) {
    const fresh = await app.page();
    const answer = await postSignIn(fresh.request, app.origin, "reviewer2", passwords.reviewer2, to);
    assert.equal(answer.headers().location, "/docket", JSON.stringify(to));
    await fresh.context().close();
  }
  const lamp = await page.request.fetch(`${app.origin}/lamp`, { method: "POST", headers: { Referer: "http://evil.example/x" }, maxRedirects: 0 });
  assert.equal(lamp.headers().location, "/docket");
  for (const path of ["/bench/abc", "/bench/1?f=x"]) {
    const text = await (await (await person("reviewer2")).send("GET", path)).text();
    assert.doesNotMatch(text, /u32|deserialize/i, `${path} shows no insides`);
  }
  const reviewer = await person("reviewer2");
  for (const path of ["/docket", "/returns/marks.csv", "/sections/roster.csv"]) {
    assert.match((await reviewer.send("GET", path)).headers()["cache-control"], /no-store/, path);
  }
  const many = Object.fromEntries(Array.from({ length: 4100 }, (_, i) => [`c${i}`, ""]));
  const lab = sql("SELECT id FROM labs WHERE slug = 'keel-plate'", app.database).trim();
  assert.equal((await reviewer.send("POST", `/quick/${lab}`, { token: reviewer.token, ...many })).status(), 422);
  // What a change says is said once, in the session it was made in; an address carries no words.
  const chief = await person("coordinator");
  const taken = await chief.send("POST", "/sections/roster", { token: chief.token, text: "section,team\nMorning,Quill\n" });
  const said = taken.headers().location;
  const told = async (who, path) => (await who.send("GET", path)).text();
  assert.doesNotMatch(await told(reviewer, said), /students are new/, "another's session");
  assert.match(await told(chief, said), /1 teams and 0 students are new/);
  assert.doesNotMatch(await told(chief, said), /students are new/, "it is said once");
  for (const path of ["/sections?done=", "/intake/lot?ids=1&refused=", "/intake/lot?ids=1&done=", "/sections?done=0123."]) {
    assert.doesNotMatch(await told(chief, `${path}Call%20this%20number`), /Call this number/, path);
  }
  const elsewhere = { method: "POST", headers: { Origin: "http://evil.example" }, maxRedirects: 0 };
  assert.equal((await page.request.fetch(`${app.origin}/lamp`, elsewhere)).status(), 403, "a form on another's page");
  const missing = await reviewer.send("GET", "/returns/999999");
  assert.match(await missing.text(), /Number of this request/);
  assert.equal((await page.request.get(`${app.origin}/metrics`, { headers: { "X-Forwarded-For": "10.0.0.1" } })).status(), 404);
  assert.match(await (await page.request.get(`${app.origin}/metrics`)).text(), /jurado_requests_total\{status="4xx"\} [1-9]/);
  assert.equal(await (await page.request.get(`${app.origin}/health`)).text(), "ok\n");
  await page.context().close();
});

/** A request with any head, as the browsers' kit does not let one write it. */
const raw = (origin, path, headers) => new Promise((resolve, reject) => {
  const { port } = new URL(origin);
  const r = ask({ host: "127.0.0.1", port, path, headers }, (answer) => { answer.resume(); answer.on("end", () => resolve(answer)); });
  r.on("error", reject);
  r.end();
});

test("with a public address cookies are for HTTPS alone and another host is no host of ours", async () => {
  const secure = await startApp("doors_public", { more: ["--public-url", "https://jurado.example"] });
  try {
    assert.match(secure.printed().said, /answers on https:\/\/jurado\.example\//);
    const ours = await raw(secure.origin, "/sign-in", { Host: "jurado.example" });
    assert.equal(ours.statusCode, 200);
    assert.match(ours.headers["set-cookie"].join(), /^__Host-jurado=[^;]+;.*HttpOnly.*Secure|^__Host-jurado=[^;]+;.*Secure.*HttpOnly/);
    assert.match(ours.headers["strict-transport-security"], /max-age/);
    assert.equal((await raw(secure.origin, "/sign-in", { Host: "evil.example" })).statusCode, 421);
  } finally {
    await secure.stop();
  }
});

test("from nothing: a first link, people, a roster, a table judged, and marks", async () => {
  const fresh = await startApp("doors_fresh", { demo: false });
  try {
    const link = /http:\/\/[^/]+\/link\/\w+/.exec(fresh.printed().said)[0];
    const chief = await fresh.page();
    await chief.goto(link);
    await chief.getByLabel("Name to sign in with, one word").fill("chief");
    await chief.getByLabel("Your name, as others read it").fill("The chief");
    await chief.getByLabel("New password, at least ten characters").fill("four words of harbour");
    await chief.getByLabel("The same once more").fill("four words of harbou");
    await chief.getByRole("button", { name: "Keep it" }).click();
    await chief.getByRole("alert").getByText("The two do not agree").waitFor();
    assert.equal(await chief.getByLabel("Name to sign in with, one word").inputValue(), "chief", "what was typed is kept");
    await chief.getByLabel("New password, at least ten characters").fill("four words of harbour");
    await chief.getByLabel("The same once more").fill("four words of harbour");
    await chief.getByRole("button", { name: "Keep it" }).click();
    await chief.waitForURL("**/people");
    const used = await fresh.page();
    await used.goto(link);
    await used.getByText("There is no such one-time link").waitFor();
    await used.context().close();
    // The roster, then a reviewer of one of its sections.
    await chief.getByRole("link", { name: "bring the roster" }).click();
    await chief.getByLabel("Paste the lines of a CSV file").fill("section,team,number,name\nMorning,Alfa,T1,A. Tern\nMorning,Alfa,T2,B. Wigeon\nEvening,Knot,T3,C. Stint\n");
    await chief.getByRole("button", { name: "Take the roster" }).click();
    await chief.getByText("2 sections, 2 teams and 3 students are new").waitFor();
    await chief.getByRole("link", { name: "People", exact: true }).click();
    await chief.getByLabel("Name, as others read it").fill("H. Heron");
    await chief.getByLabel("Name to sign in with, one word").fill("heron");
    await chief.getByRole("group", { name: "Sections, for a reviewer" }).getByLabel("Morning").check();
    await chief.getByRole("button", { name: "Add and make a link" }).click();
    const invitation = await chief.getByLabel("One-time link").inputValue();
    const heron = await fresh.page();
    await heron.goto(invitation);
    await heron.getByLabel("New password, at least ten characters").fill("mud flats at dawn");
    await heron.getByLabel("The same once more").fill("mud flats at dawn");
    await heron.getByRole("button", { name: "Keep it" }).click();
    await heron.waitForURL("**/docket");
    // A table comes in and is judged.
    await heron.goto(`${fresh.origin}/intake`);
    await heron.locator("#lab").selectOption({ label: "Keel plate" });
    const rows = [["zero", "0.04", "mm"], ["plate_length", "84.44", "mm"], ["plate_width", "41.92", "mm"], ["plate_thickness", "8.62", "mm"], ["plate_mass", "81.89", "g"], ["plate_volume", "303.3", "cm3"]];
    await heron.locator("textarea[name=pasted]").fill(["section,team,station,item,row,value,unit,plus_minus,excluded,note", ...rows.map(([i, v, u]) => `Morning,Alfa,1,${i},,${v},${u},,,`)].join("\n"));
    await heron.getByRole("button", { name: "Look at it first" }).click();
    await heron.getByRole("button", { name: "Take 1 table" }).click();
    await heron.getByRole("status").getByText("1 new").waitFor();
    await heron.goto(`${fresh.origin}/bench`);
    await heron.getByRole("heading", { level: 1, name: "Alfa" }).waitFor();
    await heron.waitForLoadState("load");
    for (let n = 0; n < 20; n += 1) {
      const open = await heron.locator("[data-finding]:not(.set)").count();
      if (open === 0) break;
      await heron.keyboard.press((await heron.locator(".fd.now .levels").count()) > 0 ? "1" : "Enter");
      await heron.waitForFunction((was) => document.querySelectorAll("[data-finding]:not(.set)").length < was, open);
    }
    await heron.keyboard.press(" ");
    await heron.waitForURL("**/docket");
    // The coordinator returns it, and the marks are those of both students.
    await chief.goto(`${fresh.origin}/returns`);
    await chief.getByRole("link", { name: /^Return 1 signed/ }).click();
    await chief.getByRole("button", { name: /Return them/ }).click();
    await chief.getByText("1 returned").first().waitFor();
    const marks = await (await chief.request.get(`${fresh.origin}/returns/marks.csv`)).text();
    assert.deepEqual(marks.trim().split("\r\n").slice(1).map((l) => l.split(",").slice(0, 5)), [["Morning", "Alfa", "T1", "A. Tern", "keel-plate"], ["Morning", "Alfa", "T2", "B. Wigeon", "keel-plate"]]);
    assert.deepEqual([...chief.faults, ...heron.faults], []);
  } finally {
    await fresh.stop();
  }
});

test("a start changes nothing that is in force, and tells what the folder holds beside it", async () => {
  const folder = join(mkdtempSync(join(tmpdir(), "jurado-folder-")), "protocols");
  cpSync(`${root}protocols`, folder, { recursive: true });
  const text = readFileSync(`${folder}/keel-plate.toml`, "utf8");
  // Two files of one id, and one that cannot be read: told, and the others are served.
  writeFileSync(`${folder}/a-copy.toml`, readFileSync(`${folder}/hatch-ram.toml`, "utf8"));
  writeFileSync(`${folder}/broken.toml`, "id = \"broken\"\nversion = \n");
  const app = await startApp("doors_folder", { more: ["--protocols", folder] });
  try {
    const query = (t) => sql(t, app.database).trim();
    assert.match(app.printed().told, /a-copy\.toml and .*hatch-ram\.toml have one id, hatch-ram/);
    assert.match(app.printed().told, /left aside: .*broken\.toml:2:/);
    assert.equal(query("SELECT COUNT(*) FROM labs WHERE slug IN ('hatch-ram', 'broken')"), "0");
    assert.equal(Number(query("SELECT COUNT(*) FROM labs")) > 20, true, "the others are there");
    const page = await app.coordinator();
    const lab = query("SELECT id FROM labs WHERE slug = 'keel-plate'");
    const token = async () => /name="token" value="([^"]*)"/.exec(await (await page.request.get(`${app.origin}/account`)).text())[1];
    const put = await page.request.post(`${app.origin}/protocols/${lab}/edit`, { form: { token: await token(), text: text.replace("version = 3", "version = 9"), version: "3", then: "set", reason: "a new term" }, maxRedirects: 0 });
    assert.equal(put.status(), 303);
    const version = () => query("SELECT p.version FROM labs l JOIN protocols p ON p.id = l.protocol_id WHERE l.slug = 'keel-plate'");
    const points = () => query("SELECT SUM(decided), SUM(version) FROM sheets");
    assert.equal(version(), "9");
    const before = points();
    for (let n = 0; n < 2; n += 1) {
      await app.restart();
      assert.equal(version(), "9", "what the coordinator put in force stays");
      assert.equal(points(), before, "and no table was touched");
      assert.match(app.printed().told, /keel-plate\.toml: the folder holds another text, version 3; version 9 stays in force/);
    }
    // Looked at and left, with a reason: not told again. A higher version is put in force by a start.
    await page.goto(`${app.origin}/protocols`);
    await page.getByText("The folder of protocols holds another text of").waitFor();
    await page.getByRole("link", { name: "Keel plate" }).first().click();
    const told = page.locator("#folder");
    await told.getByLabel("Reason").fill("last term's copy");
    await told.getByRole("button", { name: "Leave it" }).click();
    await page.waitForURL(`**/protocols/${lab}`);
    assert.equal(await told.count(), 0);
    await app.restart();
    assert.doesNotMatch(app.printed().told, /keel-plate/);
    writeFileSync(`${folder}/keel-plate.toml`, text.replace("version = 3", "version = 10"));
    await app.restart();
    assert.match(app.printed().told, /keel-plate\.toml: it is a higher version/);
    for (let n = 0; n < 100 && version() !== "10"; n += 1) await new Promise((r) => setTimeout(r, 100));
    assert.equal(version(), "10");
    // Whoever serves may add to the record and change nothing in it.
    if (process.env.TEST_SERVING_URL) {
      const { username, password, port } = new URL(process.env.TEST_SERVING_URL);
      const serving = (t) => execFileSync("mariadb", ["--no-defaults", "-h127.0.0.1", `-P${port}`, `-u${username}`, app.database, "-e", t], { env: { ...process.env, MYSQL_PWD: password }, stdio: "pipe" });
      serving("SELECT COUNT(*) FROM events; UPDATE settings SET value = value WHERE name = 'none'");
      for (const harm of ["UPDATE events SET about = ''", "DELETE FROM events", "DROP TABLE events", "TRUNCATE events", "ALTER TABLE events DROP COLUMN digest"]) {
        assert.throws(() => serving(harm), /denied/, harm);
      }
    }
    await page.context().close();
  } finally {
    await app.stop();
  }
});

test("a protocol put in force over many tables says how far it is, and people go on meanwhile", async () => {
  const app = await startApp("doors_many");
  try {
    const query = (t) => sql(t, app.database).trim();
    // The class five times over, each with teams of its own.
    for (let copy = 1; copy <= 5; copy += 1) {
      const off = copy * 10_000;
      query(`INSERT INTO teams (id, section_id, name) SELECT id + ${off}, section_id, CONCAT(name, ' ${copy}') FROM teams WHERE id < 10000;
        SET foreign_key_checks = 0;
        INSERT INTO sheets (id, lab_id, team_id, section_id, submission_id, version, state, station, awarded, decided, possible, open_findings, hanging, mark, headline, profile, judged_with, outcome)
        SELECT id + ${off}, lab_id, team_id + ${off}, section_id, submission_id + ${off}, version, state, station, awarded, decided, possible, open_findings, hanging, mark, headline, profile, judged_with, outcome FROM sheets WHERE id < 10000 AND stage IS NOT NULL;
        INSERT INTO submissions (id, sheet_id, revision, import_id, body, digest, handed_in_at) SELECT id + ${off}, sheet_id + ${off}, revision, import_id, body, digest, handed_in_at FROM submissions WHERE id < 10000`);
    }
    const page = await app.coordinator();
    const lab = query("SELECT id FROM labs WHERE slug = 'keel-plate'");
    await page.goto(`${app.origin}/protocols/${lab}/edit`);
    const source = await page.locator("#source").inputValue();
    await page.locator("#source").fill(source.replace("version = 3", "version = 4"));
    await page.getByLabel("Reason").fill("many tables");
    await page.getByRole("button", { name: "Put it in force" }).click();
    await page.waitForURL(`**/protocols/${lab}`);
    // Either it is seen under way, or it was quick enough to be over; both lead to version 4 without a further hand.
    await page.locator("#progress").or(page.locator(".title").getByText("version 4")).first().waitFor();
    await page.locator(".title").getByText("version 4").waitFor({ timeout: 60_000 });
    assert.equal(await page.locator("#progress").count(), 0);
    assert.equal(query("SELECT COUNT(DISTINCT judged_with) FROM sheets WHERE stage IS NOT NULL"), "1", "all tables changed together");
    assert.equal(query("SELECT state FROM jobs ORDER BY id DESC LIMIT 1"), "done");
    assert.equal(query("SELECT COUNT(*) FROM judged_ahead"), "0");
    await page.context().close();
  } finally {
    await app.stop();
  }
});
