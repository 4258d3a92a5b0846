// Reviewers who decide and sign tables, and mark some a second time, as their forms would be sent: for tests and pictures
// that need many.
import { request } from "playwright-core";
import { passwords, postSignIn } from "./app.mjs";

const field = (page, name) => new RegExp(`name="${name}" value="([^"]*)"`).exec(page)?.[1];
const plain = (text) => text.replaceAll("&#38;", "&").replaceAll("&amp;", "&").replaceAll("&quot;", '"');

/** Somebody signed in, without a page. */
export async function signedIn(app, name) {
  const who = await request.newContext({ baseURL: app.origin });
  await postSignIn(who, app.origin, name, passwords[name]);
  return who;
}

/** Sends a form of a page with its token; gives the answer. */
export async function send(who, page, path, form) {
  return who.post(path, { form: { token: field(page, "token"), ...form }, maxRedirects: 0 });
}

/** Decides what is open of a table, finding by finding, and signs it. `choose` gives each time an action of the form. */
export async function decide(who, id, choose) {
  for (let step = 0; step < 60; step++) {
    const page = await (await who.get(`/bench/${id}`)).text();
    const version = field(page, "version");
    if (page.includes(`/bench/${id}/sign"`)) return send(who, page, `/bench/${id}/sign`, { version });
    const open = /name="finding" value="([^"]*)">\s*<input type="hidden" name="action" value="(accept|points)">(?:\s*<input type="hidden" name="points" value="([^"]*)">)?/.exec(page);
    if (!open) throw new Error(`table ${id} is neither open nor to be signed`);
    const form = open[2] === "points" ? { action: "points", points: open[3] } : choose();
    await send(who, page, `/bench/${id}/decide`, { version, finding: plain(open[1]), ...form });
  }
  throw new Error(`table ${id} was not signed in sixty steps`);
}

/** Marks a table a second time; `choose` gives an action for each finding. */
export async function markAgain(who, path, choose) {
  const page = await (await who.get(path)).text();
  const form = { submission: field(page, "submission") };
  for (const [, n, key] of page.matchAll(/name="k(\d+)" value="([^"]*)"/g)) Object.assign(form, { [`k${n}`]: plain(key), [`a${n}`]: choose(), [`p${n}`]: "" });
  return send(who, page, path, form);
}
