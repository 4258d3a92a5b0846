// A sheet at the door saves itself: at each change, and when there is a line again. Without this script the buttons do it.
"use strict";
(() => {
  const form = () => document.querySelector("form[data-draft]");
  // A phone goes from hand to hand: what is kept is this team's and no other's.
  const kept = (f) => `sheet ${f.dataset.draft} ${f.action}`;
  const tell = (f, text) => { const at = f.querySelector("[data-saved]"); if (at) at.textContent = text; };
  const fields = (f) => {
    const all = new URLSearchParams(new FormData(f));
    all.set("then", "keep");
    return all;
  };
  let under = null, again = false, wait = 0;

  const save = async () => {
    const f = form();
    if (!f || !f.querySelector("button[value=in]")) return;
    if (under) { again = true; return; }
    const sent = fields(f);
    under = fetch(f.action, { method: "POST", body: sent, headers: { "Content-Type": "application/x-www-form-urlencoded" } });
    try {
      const answer = await under;
      if (answer.status === 204) {
        f.elements.seen.value = answer.headers.get("draft-version");
        tell(f, `${answer.headers.get("draft-saved")}, as a draft`);
        localStorage.removeItem(kept(f));
      } else if (answer.status === 409) {
        tell(f, "another phone typed in the same boxes: press “Save, and look at it”");
      } else {
        tell(f, "not saved: press “Save, and look at it”");
      }
    } catch {
      // What is kept here is this sheet's alone, and goes once it is saved.
      sent.delete("token");
      localStorage.setItem(kept(f), sent.toString());
      tell(f, "no connection: kept on this phone, not handed in");
      clearTimeout(wait);
      wait = setTimeout(save, 15000);
    } finally {
      under = null;
      if (again) { again = false; save(); }
    }
  };

  // What was kept on this phone goes back into its boxes, with the version it came from: the server joins it with what was saved meanwhile.
  const restore = () => {
    const f = form(), text = f && localStorage.getItem(kept(f));
    if (!text) return;
    const was = new URLSearchParams(text);
    for (const [name, value] of was) {
      const box = f.elements.namedItem(name);
      if (box && name !== "then" && "value" in box) box.value = value;
    }
    save();
  };

  document.addEventListener("change", (e) => { if (e.target.closest("form[data-draft]")) save(); });
  window.addEventListener("online", save);
  document.addEventListener("submit", (e) => {
    const f = e.target;
    // Whoever leaves a phone that others use leaves nothing on it.
    if (f.action.endsWith("/hand-in/leave")) Object.keys(localStorage).filter((k) => k.startsWith("sheet ")).forEach((k) => localStorage.removeItem(k));
    if (!f.matches("form[data-draft]")) return;
    if (under) {
      // What is being saved comes first: otherwise the sheet would be joined with itself.
      e.preventDefault();
      under.catch(() => {}).finally(() => setTimeout(() => f.requestSubmit(e.submitter), 0));
      return;
    }
    localStorage.removeItem(kept(f));
  });
  document.addEventListener("DOMContentLoaded", restore);
  // A page that a link of ours leads to comes without its own scripts being read again.
  document.addEventListener("htmx:afterSettle", restore);
  if (document.readyState !== "loading") restore();
})();
