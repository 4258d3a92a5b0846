// A bed of keys for the room, on a phone: large digits under one thumb, in the order of a scale and not in threes. There is no key
// for the point: its place is the instrument's, and a dotted slot is a digit that is still owed. Without this script the boxes are
// typed in as any.
"use strict";
(() => {
  const pocket = matchMedia("(max-width: 1000px)");
  const form = () => document.getElementById("quickform");
  const boxes = () => [...form().querySelectorAll("input[data-places]")];
  let box = null, digits = "", skip = null;

  const bed = () => document.getElementById("keybed");
  const places = () => Number(box.dataset.places);
  const owed = () => Math.max(0, places() + 1 - digits.length);
  /** The digits with their point, and whether each place is typed. */
  const text = () => {
    const all = digits.padStart(places() + 1, "0");
    const [whole, rest] = [all.slice(0, all.length - places()), all.slice(all.length - places())];
    return places() ? `${whole}.${rest}` : whole;
  };
  const show = () => {
    const out = bed().querySelector("output");
    out.replaceChildren();
    const said = document.createElement("span");
    said.className = "visually-hidden";
    said.textContent = digits ? `${text()}${owed() ? `, ${owed()} digits owed` : ""}` : "nothing typed yet";
    const seen = document.createElement("span");
    seen.ariaHidden = "true";
    let typed = 0;
    const empty = owed();
    for (const sign of text()) {
      if (sign === ".") { seen.append("."); continue; }
      if (typed++ < empty) { const slot = document.createElement("i"); slot.className = "slot"; seen.append(slot); } else seen.append(sign);
    }
    out.append(said, seen);
    bed().querySelector("[data-write]").disabled = digits === "" || owed() > 0;
  };
  const choose = (next) => {
    boxes().forEach((b) => b.classList.remove("inhand"));
    box = next;
    digits = "";
    bed().hidden = !box || !pocket.matches;
    if (!box || !pocket.matches) return;
    box.classList.add("inhand");
    box.inputMode = "none";
    bed().querySelector(".what").textContent = `${box.getAttribute("aria-label")}${box.dataset.unit ? `, ${box.dataset.unit}` : ""}`;
    show();
  };
  const key = (label, name, act, small) => {
    const b = document.createElement("button");
    b.type = "button";
    b.textContent = label;
    b.className = name;
    if (small) b.dataset[small] = "";
    // The box keeps the focus, so that its place on the page is not lost.
    b.addEventListener("pointerdown", (e) => e.preventDefault());
    b.addEventListener("click", act);
    return b;
  };
  const write = () => {
    if (!box || digits === "" || owed()) return;
    const done = box;
    done.value = text();
    const rest = boxes();
    const next = [...rest.slice(rest.indexOf(done) + 1), ...rest].find((b) => b.value === "" && b !== done);
    done.dispatchEvent(new Event("change", { bubbles: true }));
    choose(next ?? null);
    if (next) next.focus({ preventScroll: false });
  };
  const build = () => {
    if (!form() || bed()) return;
    const region = document.createElement("div");
    region.id = "keybed";
    region.className = "keybed";
    region.role = "region";
    region.ariaLabel = "Keys";
    region.hidden = true;
    const typed = document.createElement("span");
    typed.className = "typed";
    const what = document.createElement("span");
    what.className = "what";
    const out = document.createElement("output");
    out.ariaLive = "polite";
    // What has a sign, or is no number, needs the phone's own keys.
    const other = key("other keys", "lamp", () => { const b = box; choose(null); b.inputMode = "text"; b.blur(); setTimeout(() => { skip = b; b.focus(); }, 0); });
    typed.append(what, out, other);
    region.append(typed, key("take back", "key wordkey", () => { digits = digits.slice(0, -1); show(); }), key("Write down", "key btn-take", write, "write"));
    for (const d of "1234567890") region.append(key(d, "key", () => { if (digits.length < 9) { digits += d; show(); } }));
    form().append(region);
    form().addEventListener("focusin", (e) => { if (e.target.matches("input[data-places]")) { if (e.target === skip) skip = null; else if (e.target !== box) choose(e.target); } else if (!region.contains(e.target)) choose(null); });
    pocket.addEventListener("change", () => choose(null));
  };
  document.addEventListener("DOMContentLoaded", build);
  document.addEventListener("htmx:afterSettle", build);
  if (document.readyState !== "loading") build();
})();
