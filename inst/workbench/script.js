// The page of the workbench: its state is in the address, a click changes the state, the server draws it.
"use strict";

(() => {
  const main = document.getElementById("main");
  const query = new URLSearchParams(location.search);
  const views = [...document.querySelectorAll("#views [data-view]")];
  let state = {}, files = {}, picked = new Map(), wanted = null, asked = 0, timer = 0;
  // The window that the list rests on, the row that had the focus last, the condition chosen last.
  let span = {}, lastRow = null, condition = null;

  // The address: "#view=explore&by=page&c=device~mobile&trail=[...]".
  const fromAddress = () => {
    const given = new URLSearchParams(location.hash.slice(1)), out = {};
    for (const [name, value] of given) {
      if (name === "c") (out.c ||= []).push(value);
      else if (name === "trail") { try { out.trail = JSON.parse(value); } catch { out.trail = []; } }
      else out[name] = value;
    }
    return out;
  };
  const toAddress = s => {
    const out = new URLSearchParams();
    for (const [name, value] of Object.entries(s)) {
      if (value === null || value === undefined || value === "" || value.length === 0) continue;
      if (name === "c") value.forEach(one => out.append("c", one));
      else out.set(name, name === "trail" ? JSON.stringify(value) : value);
    }
    return "#" + out;
  };
  const send = () => {
    main.setAttribute("aria-busy", "true");
    asked = performance.now();
    Shiny.setInputValue("state", JSON.stringify(state), { priority: "event" });
  };
  const show = (next, replace = false) => {
    const clean = Object.fromEntries(Object.entries(next).filter(([, value]) => value !== null && value !== undefined && value !== ""));
    state = clean;
    const at = history.state?.step || 0;
    if (!replace) history.replaceState({ step: at, y: scrollY, row: lastRow, picked: [...picked.keys()] }, "");
    history[replace ? "replaceState" : "pushState"]({ step: replace ? at : at + 1 }, "", toAddress(state));
    send();
  };
  // The site goes along, whatever else begins anew.
  const afresh = parts => show({ site: state.site, ...parts });
  const change = (parts, replace) => show({ ...state, ...parts }, replace);
  const go = parts => {
    const { fresh, ...rest } = parts;
    wanted = "h1";
    show(fresh ? rest : { ...state, ...rest });
  };
  // Coming back, the page stands where it was left.
  window.addEventListener("popstate", event => { state = fromAddress(); wanted = event.state || "h1"; send(); });

  // A step of the walk: what narrowed by one name before gives way to the new name.
  const narrow = ["queries", "pages"];
  const label = s => {
    const last = (s.c || []).slice(-1)[0];
    return last ? last.replace(/^!?[a-z_]+~/, "").replace(/^https?:\/\/[^/]+/, "") : "all " + (s.by || "queries");
  };
  const step = ({ by, arg, value }) => {
    const here = state.view === "explore" ? state : {};
    const c = (here.c || []).filter(one => !narrow.includes(one.replace(/^!/, "").split("~")[0]) || one.startsWith("!"));
    const { trail, ...kept } = here;
    const from = state.view === "explore" ? { ...kept, label: label(state) }
      : { view: state.view, id: state.id, label: state.view === "line" ? "the finding" : state.view };
    wanted = "h1";
    const days = state.view === "explore" ? { from: here.from, to: here.to } : span;
    afresh({ view: "explore", by, ...days, segment: here.segment, c: [...c, `${arg}~${value}`],
      trail: [...(state.trail || []), from] });
  };
  const back = at => {
    const { label: _, ...to } = state.trail[at];
    afresh({ view: "explore", ...to, trail: state.trail.slice(0, at) });
  };

  // What is chosen, and its sums.
  const rowOf = id => main.querySelector(`tr[data-id="${id}"]`);
  const sums = () => {
    const out = document.getElementById("picked");
    for (const row of main.querySelectorAll("tr[data-id]")) {
      const on = picked.has(row.dataset.id);
      row.classList.toggle("picked", on);
      const box = row.querySelector("[data-pick]");
      if (box) box.checked = on;
    }
    if (!out) return;
    let gain = 0, hours = 0;
    for (const one of picked.values()) { gain += one.gain; hours += one.hours; }
    const article = main.querySelector("article[data-id]");
    out.textContent = article ? "this task" : picked.size
      ? `${picked.size} chosen: +${Math.round(gain)} clicks a month, ${hours} ${hours === 1 ? "hour" : "hours"}`
      : "nothing chosen";
  };
  const pick = id => {
    const row = rowOf(id);
    if (!row) return;
    if (picked.has(id)) picked.delete(id);
    else picked.set(id, { gain: Number(row.dataset.gain), hours: Number(row.dataset.hours) });
    sums();
  };
  const current = () => document.activeElement?.closest?.("tr[data-id]")?.dataset.id
    || (document.activeElement?.closest?.(".decide") && rowOf(lastRow) ? lastRow : undefined);
  document.addEventListener("focusin", event => {
    const row = event.target.closest?.("tr[data-id]");
    if (row) lastRow = row.dataset.id;
  });
  const decide = decision => {
    const article = main.querySelector("article[data-id]");
    const ids = article ? [article.dataset.id] : picked.size ? [...picked.keys()] : [current()].filter(Boolean);
    if (!ids.length) return say("Choose a task first: x, or the box before it.");
    const note = document.getElementById("note");
    const title = document.getElementById("new-title")?.value.trim();
    const at = rowIndex();
    const said = [title ? `title: ${title}` : "", note ? note.value.trim() : ""].filter(Boolean).join("; ");
    Shiny.setInputValue("decide", { ids, decision, note: said }, { priority: "event" });
    if (note) note.value = "";
    picked.clear();
    wanted = at >= 0 ? at : null;
  };
  const say = text => {
    const box = document.getElementById("say");
    box.textContent = text;
    clearTimeout(say.timer);
    say.timer = setTimeout(() => { box.textContent = ""; }, 6000);
  };

  // Rows by key.
  const rows = () => [...main.querySelectorAll("button.row")];
  const rowIndex = () => {
    const row = document.activeElement?.closest?.("tr");
    return row ? rows().findIndex(one => one.closest("tr") === row) : -1;
  };
  const move = by => {
    const all = rows();
    if (!all.length) return;
    const at = rowIndex();
    const next = all[Math.min(all.length - 1, Math.max(0, at < 0 ? (by > 0 ? 0 : all.length - 1) : at + by))];
    next.focus();
    next.scrollIntoView({ block: "nearest" });
  };

  // On a task the next one of the list, elsewhere the next row.
  const near = (mark, by) => {
    const way = main.querySelector(`article.line`) ? main.querySelector(`[data-${mark}]`) : null;
    if (way) way.click(); else if (!main.querySelector("article.line")) move(by);
  };

  document.addEventListener("click", event => {
    const hit = name => event.target.closest(`[data-${name}]`);
    let at;
    if ((at = hit("go"))) go(JSON.parse(at.dataset.go));
    else if ((at = hit("step"))) step(JSON.parse(at.dataset.step));
    else if ((at = hit("view"))) { picked.clear(); wanted = "h1"; afresh({ view: at.dataset.view }); }
    else if ((at = hit("pick"))) { event.stopPropagation(); pick(at.dataset.pick); }
    else if ((at = hit("decide"))) decide(at.dataset.decide);
    else if (hit("fitting")) {
      for (const row of main.querySelectorAll("tr.fits[data-id]")) if (!picked.has(row.dataset.id)) pick(row.dataset.id);
    } else if (hit("sites")) { wanted = "h1"; show({}); }
    else if ((at = hit("estimate"))) {
      const own = name => document.getElementById(`own-${name}`).value;
      Shiny.setInputValue("estimate", { id: at.dataset.estimate, hours: own("hours"), chance: own("chance") }, { priority: "event" });
    } else if (hit("undo")) Shiny.setInputValue("undo", Math.random(), { priority: "event" });
    else if ((at = hit("back"))) back(Number(at.dataset.back));
    else if ((at = hit("cut"))) change({ trail: state.trail.filter((_, i) => i !== Number(at.dataset.cut)) });
    else if ((at = hit("remove"))) alter(at.dataset.remove, () => []);
    else if ((at = hit("invert"))) alter(at.dataset.invert, one => [one.startsWith("!") ? one.slice(1) : "!" + one]);
    else if ((at = hit("edit"))) edit(at);
    else if (hit("add")) add();
    else if (hit("save")) {
      Shiny.setInputValue("save", { name: document.getElementById("segment-name").value, c: state.c || [] }, { priority: "event" });
    } else if ((at = hit("get"))) {
      if (files[at.dataset.get]) {
        const link = document.createElement("a");
        link.href = files[at.dataset.get];
        link.download = "";
        link.click();
      }
    } else if ((at = hit("keys"))) {
      const keys = document.getElementById("keys");
      keys.hidden = !keys.hidden;
      at.setAttribute("aria-expanded", String(!keys.hidden));
    } else if (hit("cancel")) Shiny.setInputValue("cancel", Math.random(), { priority: "event" });
    else if (hit("again")) Shiny.setInputValue("again", Math.random(), { priority: "event" });
  });

  // Conditions; alternatives of one stand behind each other. at: "condition.alternative".
  const orMark = "\u001f";
  const alter = (at, make) => {
    const [i, k] = at.split(".").map(Number);
    const changed = state.c.map((one, n) => n !== i ? one
      : one.split(orMark).flatMap((part, m) => m === k ? make(part) : [part]).join(orMark));
    change({ page: null, c: changed.filter(one => one !== "") });
  };

  // A part of the sentence becomes a field, in place.
  const edit = chip => {
    const field = document.createElement("input");
    field.value = chip.dataset.value;
    field.setAttribute("aria-label", chip.getAttribute("aria-label"));
    chip.replaceWith(field);
    field.focus();
    field.select();
    const done = keep => {
      if (!field.isConnected || field.done) return;
      field.done = true;
      const value = field.value.trim();
      if (keep && value && value !== chip.dataset.value) {
        alter(chip.dataset.edit, one => [one.replace(/~[\s\S]*$/, () => "~" + value)]);
      } else field.replaceWith(chip);
    };
    field.addEventListener("keydown", event => {
      event.stopPropagation();
      if (event.key === "Enter") done(true);
      if (event.key === "Escape") done(false);
    });
    field.addEventListener("blur", () => done(true));
  };
  const add = () => {
    const value = document.getElementById("add-value").value.trim();
    if (!value) return document.getElementById("add-value").focus();
    wanted = "#add-value";
    condition = document.getElementById("add-arg").value;
    document.getElementById("add-value").value = "";
    const one = `${condition}~${value}`, known = state.c || [];
    const or = known.length && document.getElementById("add-how")?.value === "or";
    change({ page: null, c: or ? [...known.slice(0, -1), known[known.length - 1] + orMark + one] : [...known, one] });
  };

  // A title as it is typed: how wide it is shown, which words of the queries it holds.
  const measure = document.createElement("canvas").getContext("2d");
  const tryTitle = field => {
    const box = field.closest(".try"), title = field.value.trim(), most = Number(box.dataset.pixels);
    const plain = text => text.toLowerCase().normalize("NFD").replace(/[\u0300-\u036f]/g, "");
    const held = new Set(plain(title).split(/[^\p{L}\p{N}]+/u));
    let all = 0, in_title = 0;
    for (const word of box.querySelectorAll("[data-word]")) {
      const on = held.has(plain(word.dataset.word)), stake = Number(word.dataset.stake);
      word.classList.toggle("held", on);
      all += stake;
      if (on) in_title += stake;
    }
    measure.font = "20px Arial, 'Liberation Sans', sans-serif";
    const wide = Math.round(measure.measureText(title).width);
    document.getElementById("title-fits").textContent = title
      ? `${title.length} characters, ${wide} of ${most} pixels${wide > most ? ": it will be cut" : ""}; words of ${Math.round(100 * in_title / all)}% of what is missed` : "";
  };

  document.addEventListener("input", event => {
    if (event.target.id === "new-title") return tryTitle(event.target);
    const name = event.target.dataset?.set;
    if (!name || event.target.tagName === "SELECT") return;
    clearTimeout(timer);
    // An answer to earlier letters may have put a new field in this one's place by then.
    const typed = event.target.value, view = state.view;
    timer = setTimeout(() => { if (state.view === view) change({ [name]: typed, page: null }, true); }, 30);
  });
  document.addEventListener("change", event => {
    const name = event.target.dataset?.set;
    if (name && event.target.tagName === "SELECT") { wanted = `[data-set="${name}"]`; change({ page: null, sort: null, [name]: event.target.value }); }
  });

  document.addEventListener("keydown", event => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const typing = /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName) && event.target.type !== "checkbox";
    if (typing) {
      if (event.key === "Escape") event.target.blur();
      if (event.key === "Enter" && event.target.id === "add-value") add();
      if (event.key === "ArrowDown" && event.target.type === "search") { event.preventDefault(); move(1); }
      return;
    }
    const keys = {
      ArrowDown: () => move(1), ArrowUp: () => move(-1), j: () => near("next", 1), k: () => near("previous", -1),
      x: () => { const id = current(); if (id) pick(id); },
      f: () => decide("fix"), l: () => decide("later"), h: () => decide("harmless"), d: () => decide("done"),
      u: () => Shiny.setInputValue("undo", Math.random(), { priority: "event" }),
      "/": () => { const box = main.querySelector("input[type=search], #add-value"); if (box) { box.focus(); box.select(); } },
      Escape: () => { if (history.state?.step) history.back(); },
    };
    const number = Number(event.key);
    if (number >= 1 && number <= views.length) { views[number - 1].click(); event.preventDefault(); }
    else if (keys[event.key]) { event.preventDefault(); keys[event.key](); }
  });

  // A region dragged out on a figure lists what lies in it.
  let drag = null;
  const point = (svg, event) => {
    const box = svg.getBoundingClientRect(), view = svg.viewBox.baseVal;
    return [(event.clientX - box.left) * view.width / box.width, (event.clientY - box.top) * view.height / box.height];
  };
  const value = ([low, high, from, to, log], pixel) => {
    const share = Math.min(1, Math.max(0, (pixel - from) / (to - from)));
    return log ? Math.exp(Math.log(low) + share * Math.log(high / low)) : low + share * (high - low);
  };
  document.addEventListener("pointerdown", event => {
    const svg = event.target.closest?.("svg[data-brush]");
    if (svg && event.button === 0) drag = { svg, from: point(svg, event), to: null, earlier: event.shiftKey };
  });
  document.addEventListener("pointermove", event => {
    if (!drag) return;
    drag.to = point(drag.svg, event);
    const rect = drag.svg.querySelector("rect.brush");
    const days = drag.svg.dataset.brush === "days";
    rect.removeAttribute("hidden");
    rect.setAttribute("x", Math.min(drag.from[0], drag.to[0]));
    rect.setAttribute("width", Math.abs(drag.from[0] - drag.to[0]));
    rect.setAttribute("y", days ? 8 : Math.min(drag.from[1], drag.to[1]));
    rect.setAttribute("height", days ? 142 : Math.abs(drag.from[1] - drag.to[1]));
  });
  document.addEventListener("pointerup", () => {
    const done = drag;
    drag = null;
    if (!done?.to || Math.abs(done.from[0] - done.to[0]) < 6) return;
    document.addEventListener("click", event => event.stopPropagation(), { capture: true, once: true });
    setTimeout(() => document.dispatchEvent(new Event("brushed")), 0);
    const scale = name => JSON.parse(done.svg.dataset[name]);
    const ends = (name, k) => [value(scale(name), done.from[k]), value(scale(name), done.to[k])].sort((a, b) => a - b);
    const x = ends("x", 0);
    if (done.svg.dataset.brush === "days") {
      const day = number => new Date(Math.round(number) * 864e5).toISOString().slice(0, 10);
      go(done.earlier ? { before: null, before_from: day(x[0]), before_to: day(x[1]) } : { from: day(x[0]), to: day(x[1]) });
      return;
    }
    const y = ends("y", 1);
    wanted = "h1";
    afresh({ view: "explore", by: "pair", ...span, c: [`position~${x[0].toFixed(1)}:${x[1].toFixed(1)}`, `ctr~${y[0].toFixed(4)}:${y[1].toFixed(4)}`],
      trail: [{ view: state.view, label: state.view }] });
  });

  const focusOn = () => {
    if (wanted === null) return;
    if (wanted.step !== undefined) {
      for (const id of wanted.picked || []) if (rowOf(id) && !picked.has(id)) pick(id);
      window.scrollTo(0, wanted.y || 0);
      rowOf(wanted.row)?.querySelector("button.row")?.focus({ preventScroll: true });
      wanted = null;
      return;
    }
    const at = typeof wanted === "number" ? rows()[Math.min(wanted, rows().length - 1)] : main.querySelector(wanted);
    wanted = null;
    at?.focus({ preventScroll: typeof at === "number" });
  };
  const draw = message => {
    const old = document.activeElement;
    const typed = old && main.contains(old) && /^(INPUT)$/.test(old.tagName) && old.id
      ? { id: old.id, value: old.value, start: old.selectionStart, end: old.selectionEnd } : null;
    const row = typeof wanted === "number" || wanted ? null : rowIndex();
    const facets = main.querySelector(".facets");
    const narrow = matchMedia("(max-width: 44rem)").matches;
    const open = facets ? facets.open : !narrow;
    main.innerHTML = message.html;
    main.querySelector(".facets")?.toggleAttribute("open", open);
    main.setAttribute("aria-busy", "false");
    views.forEach(one => one.toggleAttribute("aria-current", false));
    const shown = message.view === "line" ? "list" : message.view;
    views.filter(one => one.dataset.view === shown).forEach(one => one.setAttribute("aria-current", "page"));
    document.querySelector("[data-sites]").hidden = !message.sites;
    span = message.window || {};
    // Only what is seen can be chosen.
    for (const id of picked.keys()) if (!rowOf(id)) picked.delete(id);
    const offered = document.getElementById("add-arg");
    if (offered && [...offered.options].some(one => one.value === condition)) offered.value = condition;
    if (message.title) document.querySelector(".top .name").textContent = document.title = message.title;
    for (const one of document.querySelectorAll("#hand [data-in]")) {
      one.hidden = !one.dataset.in.split(" ").includes(message.view);
    }
    if (typed) {
      const again = document.getElementById(typed.id);
      if (again) {
        again.value = typed.value;
        again.focus();
        if (again.type !== "number" && again.type !== "date") again.setSelectionRange(typed.start, typed.end);
      }
    } else if (row !== null && row >= 0) rows()[Math.min(row, rows().length - 1)]?.focus();
    else { if (wanted === "h1") window.scrollTo(0, 0); focusOn(); }
    sums();
    window.inkTideTook = performance.now() - asked;
    document.dispatchEvent(new Event("drawn"));
  };

  const begin = () => {
    Shiny.addCustomMessageHandler("show", draw);
    Shiny.addCustomMessageHandler("say", message => say(message.text));
    Shiny.addCustomMessageHandler("files", message => { files = message; });
    Shiny.setInputValue("token", query.get("token"), { priority: "event" });
    state = fromAddress();
    send();
  };
  $(document).on("shiny:sessioninitialized", begin);
  $(document).on("shiny:disconnected", () => {
    say("The workbench has ended. What was decided is stored; open it again to go on.");
    main.setAttribute("aria-busy", "false");
  });
})();
