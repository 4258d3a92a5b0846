// Keys. Everything they do is a link or a button on the page, found by its data-key, so nothing works only by key.
"use strict";
(() => {
  const typing = (e) => e.target.closest("input:not([type=radio]), textarea, select, [contenteditable]");
  const find = (key) => {
    const all = [...document.querySelectorAll(`[data-key="${CSS.escape(key)}"], [data-key2="${CSS.escape(key)}"]`)];
    return all.find((el) => el.offsetParent !== null && !el.disabled);
  };
  const press = (el) => {
    if (!el) return false;
    el.click();
    // A list that opens takes the focus to its first field.
    const details = el.tagName === "SUMMARY" && el.parentElement;
    if (details) requestAnimationFrame(() => details.open && details.querySelector("input:not([type=hidden]), select, textarea")?.focus());
    return true;
  };
  const go = (path) => { const a = document.querySelector(`.ways a[href="${path}"]`); if (a) a.click(); return Boolean(a); };
  const screen = () => document.querySelector("[data-screen]");
  let after = "";

  // Moves among findings (Bench) or entries (Docket).
  const move = (step) => {
    if (screen()?.dataset.screen === "bench") {
      const all = [...document.querySelectorAll("[data-finding]")];
      if (!all.length) return false;
      const now = all.findIndex((el) => el.classList.contains("now"));
      const next = all[Math.min(Math.max(now + step, 0), all.length - 1)];
      if (now < 0 || next !== all[now]) next.querySelector("a.pn").click();
      return true;
    }
    const links = [...document.querySelectorAll("[data-item] a[href]")];
    if (!links.length) return false;
    const at = links.indexOf(document.activeElement);
    links[Math.min(Math.max(at + step, 0), links.length - 1)].focus();
    return true;
  };

  // Space on the Bench: the next open finding, else the signature.
  const onward = () => {
    if (screen()?.dataset.screen !== "bench") return press(find(" "));
    const open = [...document.querySelectorAll("[data-finding]:not(.set)")];
    if (!open.length) return press(find(" "));
    const now = open.findIndex((el) => el.classList.contains("now"));
    const next = open[(now + 1) % open.length];
    if (!next.classList.contains("now")) next.querySelector("a.pn").click();
    return true;
  };

  const act = (e) => {
    if (after === "g") {
      after = "";
      const to = { d: "docket", b: "bench", q: "quick", r: "returns", i: "intake", s: "sections", p: "protocols", f: "floor", m: "moderation" }[e.key];
      return to ? go(`/${to}`) : false;
    }
    if (/^[1-9]$/.test(e.key)) {
      // A criterion in hand that a person judges takes the figures for its levels.
      if (press(find(e.key))) return true;
      const el = document.querySelector(`[data-finding="${e.key}"] a.pn`);
      if (el) el.click();
      return Boolean(el);
    }
    switch (e.key) {
      case "g": after = "g"; return true;
      case "/": { const el = document.querySelector("[data-find]"); if (el) { el.focus(); el.select(); } return Boolean(el); }
      case "?": document.getElementById("help")?.showModal(); return true;
      case "j": return move(1);
      case "k": return move(-1);
      case " ": return onward();
      case "[": { const to = screen()?.dataset.previous; if (to) location.assign(to); return Boolean(to); }
      case "]": { const to = screen()?.dataset.next; if (to) location.assign(to); return Boolean(to); }
      case "Enter": case "d": case "e": case "u": case "c": case "n": case "a": case "s": case "t": case "b": case "o": case "r": case "x": case "w": case "p": case "v": case "(": case ")": return press(find(e.key));
      default: return false;
    }
  };

  document.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey || document.querySelector("dialog[open]")) return;
    if (e.key === "Escape") {
      document.querySelectorAll("details.otherwise[open]").forEach((d) => { d.open = false; });
      if (typing(e)) { e.target.blur(); return; }
      press(find("Escape"));
      return;
    }
    if (typing(e)) return;
    // Space and Enter belong to the control that has the focus.
    if ((e.key === " " || e.key === "Enter") && e.target.closest("a, button, summary, input, [role=button]")) return;
    if (act(e)) e.preventDefault();
  });
  document.addEventListener("click", (e) => {
    if (e.target.closest("[data-help]")) document.getElementById("help").showModal();
    if (e.target.closest("[data-print]")) window.print();
    // What leaves the try-out is a page of its own.
    const correct = e.target.closest("[data-correct]");
    if (correct) { e.preventDefault(); correct.form.action = correct.formAction; correct.form.submit(); }
  });
  // Writing points means that points are meant.
  document.addEventListener("input", (e) => {
    if (e.target.matches(".otherwise .pts")) {
      const radio = e.target.form.querySelector("input[type=radio][value=points]");
      if (radio) radio.checked = true;
    }
  });
  // A list that is open stays open while figures are worked out anew.
  let opened = [];
  document.addEventListener("htmx:beforeSwap", () => { opened = [...document.querySelectorAll("details[id][open]")].map((d) => d.id); });
  document.addEventListener("htmx:afterSettle", () => opened.forEach((id) => { const d = document.getElementById(id); if (d) d.open = true; }));
  // After a swap the focus goes to what was told, else stays with the page, so that keys go on working.
  document.addEventListener("htmx:afterSettle", (e) => {
    // What is checked while somebody types leaves them typing.
    if (e.target.id === "checked") return;
    const told = document.querySelector("[role=alert], #would");
    if (told) { told.tabIndex = -1; told.focus(); }
  });
  // Words being typed are kept in this tab until they have been stored, so that an expired sign-in loses none.
  const keptAs = (el) => `kept ${location.pathname} ${el.form?.getAttribute("action") ?? ""} ${el.name}`;
  const keeps = (root) => root.querySelectorAll("[data-keep], input[name=reason]");
  document.addEventListener("input", (e) => {
    if (e.target.matches("[data-keep], input[name=reason]")) sessionStorage.setItem(keptAs(e.target), e.target.value);
  });
  document.addEventListener("submit", (e) => {
    const sent = [...keeps(e.target)].map(keptAs).filter((k) => sessionStorage.getItem(k) !== null);
    if (sent.length) sessionStorage.setItem("sent", JSON.stringify(sent));
  });
  const settle = () => {
    // A page other than the sign-in, without a word of refusal, means that what was sent has arrived.
    if (!document.querySelector("input[type=password]")) {
      const sent = sessionStorage.getItem("sent");
      if (sent && !document.querySelector("[role=alert]")) JSON.parse(sent).forEach((k) => sessionStorage.removeItem(k));
      sessionStorage.removeItem("sent");
    }
    else sessionStorage.removeItem("sent");
    keeps(document).forEach((el) => {
      const text = sessionStorage.getItem(keptAs(el));
      if (text === null || text === el.value) return;
      el.value = text;
      const details = el.closest("details");
      if (details) details.open = true;
    });
  };
  document.addEventListener("htmx:afterSettle", settle);
  document.addEventListener("DOMContentLoaded", settle);

  // Files dropped on the field for files.
  for (const kind of ["dragover", "dragleave", "drop"]) {
    document.addEventListener(kind, (e) => {
      const zone = e.target.closest?.("[data-drop]");
      if (!zone) return;
      e.preventDefault();
      zone.classList.toggle("over", kind === "dragover");
      if (kind === "drop") zone.querySelector("input[type=file]").files = e.dataTransfer.files;
    });
  }
  // The scan beside a sheet that is typed off is shown before it is sent.
  document.addEventListener("change", (e) => {
    if (!e.target.matches("[data-scan]")) return;
    const img = e.target.parentElement.querySelector("img");
    const reader = new FileReader();
    reader.onload = () => { img.src = reader.result; img.hidden = false; };
    const picture = [...e.target.files].find((f) => f.type.startsWith("image/"));
    if (picture) reader.readAsDataURL(picture); else img.hidden = true;
  });
  // The number pad's Enter goes to the next box of a sheet; arrows move in its tables.
  document.addEventListener("keydown", (e) => {
    const box = e.target.closest(".bx");
    if (!box) return;
    const form = box.closest("[data-enter]");
    if (form && e.key === "Enter") {
      const all = [...form.querySelectorAll(".bx")];
      const next = all[all.indexOf(box) + (e.shiftKey ? -1 : 1)];
      e.preventDefault();
      (next ?? form.querySelector("button.btn-take")).focus();
      next?.select?.();
      return;
    }
    const cell = box.closest("[data-grid] td");
    const step = { ArrowUp: "previousElementSibling", ArrowDown: "nextElementSibling" }[e.key];
    if (!cell || !step || box.tagName === "SELECT") return;
    const at = [...cell.parentElement.children].indexOf(cell);
    const to = cell.parentElement[step]?.children[at]?.querySelector(".bx");
    if (to) { e.preventDefault(); to.focus(); to.select?.(); }
  });
  // Tables and charts with many links are one stop of the Tab key; arrows, Home and End move inside.
  const stops = (box) => [...box.querySelectorAll("a[href], [data-said]")];
  const rove = (box, to) => stops(box).forEach((el) => el.setAttribute("tabindex", el === to ? "0" : "-1"));
  const roving = () => document.querySelectorAll("[data-roving]").forEach((box) => {
    const all = stops(box);
    rove(box, all.find((el) => el === document.activeElement) ?? all.find((el) => el.closest(".hand")) ?? all[0]);
  });
  document.addEventListener("DOMContentLoaded", roving);
  document.addEventListener("htmx:afterSettle", roving);
  document.addEventListener("focusin", (e) => {
    const box = e.target.closest?.("[data-roving]");
    if (box && stops(box).includes(e.target)) rove(box, e.target);
  });
  document.addEventListener("keydown", (e) => {
    const box = e.target.closest?.("[data-roving]");
    const all = box ? stops(box) : [];
    const at = all.indexOf(e.target);
    const step = { ArrowUp: -1, ArrowLeft: -1, ArrowDown: 1, ArrowRight: 1, Home: -all.length, End: all.length }[e.key];
    if (at < 0 || !step) return;
    e.preventDefault();
    // In a table of rows, up and down keep to the column.
    if (box.matches("[data-grid]") && /^Arrow(Up|Down)$/.test(e.key)) {
      const here = e.target.getBoundingClientRect();
      const off = (el) => { const r = el.getBoundingClientRect(); return { down: (r.top - here.top) * step, across: Math.abs(r.right - here.right) }; };
      const next = all.map((el) => ({ el, ...off(el) })).filter((o) => o.down > 4 && o.across < 12).sort((a, b) => a.down - b.down)[0];
      next?.el.focus();
      return;
    }
    all[Math.min(Math.max(at + step, 0), all.length - 1)].focus();
  });
  // A fault in a text leads to its place; the part whose form is open is shown there without being gone to.
  const lead = (to, goes) => {
    const box = to && document.querySelector(to.getAttribute("href"));
    if (!box) return;
    const lines = box.value.split("\n"), line = Number(to.dataset.line) - 1;
    const at = lines.slice(0, line).reduce((n, l) => n + l.length + 1, 0) + [...(lines[line] ?? "")].slice(0, Number(to.dataset.column) - 1).join("").length;
    box.scrollTop = Math.max(0, (line - 8) * (box.scrollHeight / lines.length));
    if (!goes) return;
    goes.preventDefault();
    box.focus();
    box.setSelectionRange(at, at + 1);
  };
  document.addEventListener("click", (e) => lead(e.target.closest?.("[data-line]"), e));
  const shown = () => lead(document.querySelector("[data-line][data-now]"));
  document.addEventListener("htmx:afterSettle", shown);
  document.addEventListener("DOMContentLoaded", shown);
  // A server that cannot be reached is said where the person is; nothing typed is lost.
  document.addEventListener("htmx:sendError", () => {
    const main = document.getElementById("main");
    document.getElementById("unreached")?.remove();
    const box = document.createElement("div");
    box.id = "unreached"; box.className = "told"; box.setAttribute("role", "alert");
    box.textContent = "The connection was lost, so nothing was stored. What you typed is still here: try again in a moment.";
    main.prepend(box);
  });
})();
