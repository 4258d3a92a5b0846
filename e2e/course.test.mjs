// A course that is run from the screen: an empty installation becomes a section, teams, students and a lab from a blank
// page, by keyboard; then labs are copied, retired and brought back. And the rows of a table on the Bench.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sql, startApp } from "./app.mjs";

let app;
before(async () => { app = await startApp("course", { demo: false }); });
after(() => app?.stop());

const PASSWORD = "four words of harbour";
let chief;

/** Types into the field that has the focus, as a hand does. */
const type = (text) => chief.keyboard.type(text, { delay: 0 });
/** Tabs until the element has the focus. */
const tabTo = async (locator) => {
  for (let n = 0; n < 400; n += 1) {
    if (await locator.evaluate((el) => el === document.activeElement)) return;
    await chief.keyboard.press("Tab");
  }
  assert.fail(`no way by keyboard to ${locator}`);
};
/** Tabs to a button or link and presses it. */
const press = async (locator) => {
  await tabTo(locator);
  await chief.keyboard.press("Enter");
};
/** Tabs to a field and writes in it, in place of what stands there. */
const write = async (locator, text) => {
  await tabTo(locator);
  await chief.keyboard.press("Control+A");
  await type(text);
};

test("an empty installation becomes a course by keyboard, and a reviewer judges its first table", async () => {
  chief = await app.page();
  await chief.goto(/http:\/\/[^/]+\/link\/\w+/.exec(app.printed().said)[0]);
  await write(chief.getByLabel("Name to sign in with, one word"), "chief");
  await write(chief.getByLabel("Your name, as others read it"), "The chief");
  await write(chief.getByLabel("New password, at least ten characters"), PASSWORD);
  await write(chief.getByLabel("The same once more"), PASSWORD);
  await chief.keyboard.press("Enter");
  await chief.waitForURL("**/people");
  // A section with a team and two students.
  await chief.goto(`${app.origin}/sections`);
  await write(chief.getByLabel("Name of the new section"), "Forenoon");
  await chief.keyboard.press("Enter");
  await press(chief.getByRole("link", { name: /change it ?: ?Forenoon/ }));
  await write(chief.getByLabel("A new team"), "Tern");
  await chief.keyboard.press("Enter");
  await chief.getByLabel("name of team Tern").waitFor();
  for (const [number, name] of [["T1", "A. Wigeon"], ["T2", "B. Stint"]]) {
    await press(chief.getByText("add a student to Tern"));
    await write(chief.getByLabel("number of the new student of Tern"), number);
    await write(chief.getByLabel("name of the new student of Tern"), name);
    await chief.keyboard.press("Enter");
    await chief.getByText(`${name} ${number}`).waitFor();
  }
  // The same name again is told, and what was there stays.
  await write(chief.getByLabel("A new team"), "Tern");
  await chief.keyboard.press("Enter");
  await chief.getByRole("alert").getByText("There is a team “Tern” already: choose another name.").waitFor();
  // A lab from a blank page.
  await chief.goto(`${app.origin}/protocols`);
  await press(chief.getByRole("link", { name: "A new lab…" }));
  await chief.getByText("It reads as New lab, version 1").waitFor();
  const text = chief.locator("#source");
  const blank = await text.inputValue();
  await write(text, blank.replace('id = "new-lab"', 'id = "deck-plate"').replace('title = "New lab"', 'title = "Deck plate"').replace("plausible = [10", "plausibel = [10"));
  await chief.locator("#checked").getByText("1 fault").waitFor();
  await press(chief.getByRole("button", { name: "Add it, and put it on the term" }));
  await chief.getByRole("alert").getByText("It cannot be added yet").waitFor();
  await write(text, (await text.inputValue()).replace("plausibel", "plausible"));
  await chief.getByText("It reads as Deck plate, version 1").waitFor();
  await press(chief.getByRole("button", { name: "Add it, and put it on the term" }));
  await chief.getByRole("heading", { level: 1, name: "Deck plate" }).waitFor();
  await chief.getByText("On this term.").waitFor();
  // What the section sets for it, before anything is in.
  await chief.goto(`${app.origin}/sections`);
  await press(chief.getByRole("link", { name: "Deck plate" }));
  await chief.getByRole("heading", { level: 1, name: "Forenoon" }).waitFor();
  // A reviewer of the section.
  await chief.goto(`${app.origin}/people`);
  await write(chief.getByLabel("Name, as others read it"), "H. Heron");
  await write(chief.getByLabel("Name to sign in with, one word"), "heron");
  await tabTo(chief.getByRole("group", { name: "Sections, for a reviewer" }).getByLabel("Forenoon"));
  await chief.keyboard.press(" ");
  await press(chief.getByRole("button", { name: "Add and make a link" }));
  const heron = await app.page();
  await heron.goto(await chief.getByLabel("One-time link").inputValue());
  await heron.getByLabel("New password, at least ten characters").fill(PASSWORD);
  await heron.getByLabel("The same once more").fill(PASSWORD);
  await heron.getByRole("button", { name: "Keep it" }).click();
  await heron.waitForURL("**/docket");
  await heron.goto(`${app.origin}/intake`);
  await heron.locator("#lab").selectOption({ label: "Deck plate" });
  await heron.locator("textarea[name=pasted]").fill("section,team,item,row,value,unit\nForenoon,Tern,long_side,,12.05,cm\nForenoon,Tern,short_side,,80.5,mm\nForenoon,Tern,area,,970.0 ± 0.4,cm2\n");
  await heron.getByRole("button", { name: "Look at it first" }).click();
  await heron.getByRole("button", { name: "Take 1 table" }).click();
  await heron.getByRole("status").getByText("1 new").waitFor();
  await heron.goto(`${app.origin}/bench`);
  await heron.getByRole("heading", { level: 1, name: "Tern" }).waitFor();
  // As typed, then as taken.
  assert.match((await heron.locator(".rd li", { hasText: "Long side" }).textContent()).replace(/\s+/g, " "), /12\.05→ ?cm, taken as 120\.5/);
  await heron.locator(".rungs tr", { hasText: "970.0" }).getByText("slip").waitFor();
  assert.deepEqual([...chief.faults, ...heron.faults], []);
  await heron.context().close();
});

test("the course says what it is called and in which zone its times are", async () => {
  const section = sql("SELECT id FROM sections LIMIT 1", app.database).trim();
  const lab = sql("SELECT id FROM labs WHERE slug='deck-plate'", app.database).trim();
  await chief.goto(`${app.origin}/sections`);
  await chief.getByRole("link", { name: /^The course/ }).click();
  await chief.getByLabel("Name of the school, over every page").fill("Slipway School");
  await chief.getByLabel("One section is called a").fill("shift");
  await chief.getByLabel("Several are called").fill("shifts");
  await chief.getByLabel("Time zone").fill("Tarn/Sound");
  await chief.getByRole("button", { name: "Set it" }).click();
  await chief.getByRole("alert").getByText("“Tarn/Sound” is no time zone").waitFor();
  assert.equal(await chief.getByLabel("One section is called a").inputValue(), "shift", "what was typed stays");
  await chief.getByLabel("Time zone").fill("Europe/Helsinki");
  await chief.getByLabel("Dates are written").selectOption({ label: "2026-11-28 13:05" });
  await chief.getByRole("button", { name: "Set it" }).click();
  await chief.locator(".head").getByText("Slipway School").waitFor();
  // A due time is typed in the zone of the course and kept in universal time.
  await chief.goto(`${app.origin}/sections/${section}/${lab}`);
  await chief.getByText("what this shift sets for Deck plate").waitFor();
  await chief.locator("#due").fill("2026-11-25T18:00");
  await chief.getByLabel("Reason, kept in the history").fill("the first evening");
  await chief.getByRole("button", { name: "Set it" }).click();
  await chief.getByText("the first evening").waitFor();
  assert.equal(sql("SELECT due_at FROM section_labs", app.database).trim(), "2026-11-25 16:00:00");
  assert.equal(await chief.locator("#due").inputValue(), "2026-11-25T18:00");
});

test("a section is renamed with its tables, a student moves, leaves with a reason and is back", async () => {
  await chief.goto(`${app.origin}/sections`);
  await chief.getByRole("link", { name: /change it ?: ?Forenoon/ }).click();
  await chief.getByLabel("Name", { exact: true }).fill("Dog watch");
  await chief.getByRole("button", { name: "Rename", exact: true }).first().click();
  await chief.getByRole("heading", { name: /Dog watch/ }).waitFor();
  await chief.getByLabel("A new team").fill("Knot");
  await chief.getByRole("button", { name: "Add it" }).click();
  await chief.getByLabel("name of team Knot").waitFor();
  await chief.getByText("B. Stint T2").click();
  await chief.getByLabel("team that T2 goes to").fill("Dog watch: Knot");
  await chief.getByRole("button", { name: "Move", exact: true }).click();
  await chief.getByRole("row", { name: /Knot/ }).getByText("B. Stint").click();
  await chief.getByLabel("reason for which T2 left").waitFor();
  await chief.getByLabel("reason for which T2 left").fill("changed course");
  await chief.getByRole("row", { name: /Knot/ }).getByRole("button", { name: "Has left" }).click();
  await chief.getByText("left: changed course").waitFor();
  const roster = async () => (await chief.request.get(`${app.origin}/sections/roster.csv`)).text();
  assert.doesNotMatch(await roster(), /T2/);
  await chief.getByText("B. Stint T2").click();
  await chief.getByRole("button", { name: "Is back" }).click();
  await chief.getByText("left: changed course").waitFor({ state: "detached" });
  assert.match(await roster(), /Dog watch,Knot,T2,B\. Stint/);
  await chief.goto(`${app.origin}/bench/${sql("SELECT id FROM sheets", app.database).trim()}`);
  await chief.getByText("Dog watch watch").or(chief.getByText(/Dog watch/)).first().waitFor();
});

test("one setting is made for many sections at once", async () => {
  await chief.goto(`${app.origin}/sections`);
  await chief.getByLabel("Name of the new section").fill("Evening");
  await chief.getByRole("button", { name: "Add it" }).click();
  await chief.getByRole("heading", { name: /Evening/ }).waitFor();
  await chief.getByRole("link", { name: "Deck plate" }).first().click();
  await chief.locator("#due").fill("2026-12-01T10:00");
  await chief.getByText("The same for other shifts").click();
  await chief.getByLabel("Evening").check();
  await chief.getByLabel("Reason, kept in the history").fill("a week later for all");
  await chief.getByRole("button", { name: "Set it" }).click();
  await chief.getByText("a week later for all").waitFor();
  assert.equal(sql("SELECT COUNT(*) FROM section_labs WHERE due_at='2026-12-01 08:00:00'", app.database).trim(), "2");
});

test("a lab is copied, retired so that nothing more comes in, and brought back", async () => {
  await chief.goto(`${app.origin}/protocols`);
  await chief.getByRole("link", { name: "Deck plate" }).first().click();
  await chief.getByRole("link", { name: "Copy it…" }).click();
  await chief.getByText("It reads as Deck plate, a copy, version 1").waitFor();
  assert.match(await chief.locator("#source").inputValue(), /^id = "deck-plate-2"$/m);
  await chief.getByRole("button", { name: "Add it to the library" }).click();
  await chief.getByText("In the library, not on this term.").waitFor();
  await chief.goto(`${app.origin}/protocols`);
  await chief.getByRole("link", { name: "Deck plate", exact: true }).click();
  await chief.getByRole("button", { name: "Retire it" }).click();
  await chief.getByText("Retired: nothing more of it is taken in").waitFor();
  const offered = async () => {
    await chief.goto(`${app.origin}/intake`);
    return chief.locator("#lab option", { hasText: /^Deck plate$/ }).count();
  };
  assert.equal(await offered(), 0);
  await chief.goto(`${app.origin}/docket`);
  assert.equal(await chief.getByText("Deck plate").count(), 0, "nothing of it waits on the docket");
  await chief.goto(`${app.origin}/protocols`);
  await chief.getByRole("link", { name: "Deck plate", exact: true }).click();
  await chief.getByRole("button", { name: "Bring it back" }).click();
  await chief.getByText("On this term.").waitFor();
  assert.equal(await offered(), 1);
  assert.deepEqual(chief.faults, []);
});

test("a lab is changed by small forms beside its text, and what differs between its versions is told", async () => {
  const lab = sql("SELECT id FROM labs WHERE slug='davit-balance'", app.database).trim();
  await chief.goto(`${app.origin}/protocols/${lab}/edit`);
  const text = chief.locator("#source");
  const before = await text.inputValue();
  const open = async (label) => {
    await chief.getByLabel("part of the lab").selectOption({ label });
    await chief.getByRole("button", { name: "Open its form" }).click();
  };
  await open("mark of the unknown");
  await chief.getByLabel("Plausible, from and to").fill("3");
  await chief.getByLabel("Plausible, from and to").press("Enter");
  await chief.getByRole("alert").getByText(/two ends/).waitFor();
  assert.equal(await text.inputValue(), before, "nothing is written that cannot be");
  await chief.getByLabel("Plausible, from and to").fill("3 to 40");
  await chief.getByLabel("Plausible, from and to").press("Enter");
  await chief.getByText(/Written: *line/).waitFor();
  await open("lab itself");
  await chief.getByLabel("Version, counted up").fill("7");
  await chief.getByRole("button", { name: "Write it into the text" }).click();
  await chief.getByText(/Written: *line/).waitFor();
  const lines = before.split("\n");
  const changed = (await text.inputValue()).split("\n").filter((l, n) => l !== lines[n]);
  assert.deepEqual(changed, ["version = 7", "plausible = [3, 40]"], "every other line is as it was");
  await chief.getByRole("button", { name: "What would change?" }).click();
  await chief.getByText("What the text changes: 2").click();
  await chief.getByRole("cell", { name: "3 to 40" }).waitFor();
  await chief.getByLabel("Reason").fill("a longer rule");
  await chief.getByRole("button", { name: "Put it in force" }).click();
  await chief.getByRole("link", { name: "what differs in version 7" }).click();
  await chief.getByRole("row", { name: /mark of the unknown.*plausible.*2 to 40.*3 to 40/ }).waitFor();
  await chief.context().close();
});
