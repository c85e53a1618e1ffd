// Sorting, searching and expanding of the report's tables. Without this script the tables still read in full.
"use strict";

for (const table of document.querySelectorAll("table.cards")) {
  const body = table.tBodies[0];
  const rows = [...body.rows].filter(row => !row.classList.contains("more"));
  const more = new Map(rows.map(row => [row, row.nextElementSibling]));
  const state = { text: "", kind: "", limit: Number(table.dataset.first || 25) };

  // On a narrow screen each figure names itself.
  const names = [...table.tHead.rows[0].cells].map(head => head.textContent.trim().toLowerCase());
  for (const row of rows) [...row.cells].forEach((cell, i) => { cell.dataset.label = names[i]; });

  for (const [row, details] of more) {
    const button = row.querySelector("button");
    details.hidden = true;
    button.addEventListener("click", () => {
      details.hidden = !details.hidden;
      button.setAttribute("aria-expanded", String(!details.hidden));
    });
  }

  const value = (row, column) => {
    const cell = row.cells[column];
    const text = cell.textContent.trim().toLowerCase();
    if (!cell.classList.contains("n")) return text;
    const number = text.replace(/[,+]/g, "").match(/-?\d+(\.\d+)?/);
    return number ? Number(number[0]) : -Infinity;
  };
  const heads = [...table.tHead.rows[0].cells];
  heads.forEach((head, column) => {
    head.querySelector("button").addEventListener("click", () => {
      const first = head.classList.contains("n") && column > 0 ? "descending" : "ascending";
      const other = first === "ascending" ? "descending" : "ascending";
      const order = head.getAttribute("aria-sort") === first ? other : first;
      heads.forEach(each => each.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", order);
      const sign = order === "ascending" ? 1 : -1;
      rows.sort((a, b) => {
        const x = value(a, column), y = value(b, column);
        return sign * (x < y ? -1 : x > y ? 1 : 0);
      });
      for (const row of rows) body.append(row, more.get(row));
      show();
    });
  });

  const tools = table.previousElementSibling;
  const count = tools.querySelector("output");
  const all = document.createElement("button");
  all.type = "button";
  all.className = "all";
  all.addEventListener("click", () => { state.limit = Infinity; show(); });
  table.after(all);
  const show = () => {
    let shown = 0, fitting = 0;
    for (const row of rows) {
      const details = more.get(row);
      const text = (row.textContent + " " + details.textContent).toLowerCase();
      const fits = text.includes(state.text) && (!state.kind || row.dataset.kind.split(" ").includes(state.kind));
      fitting += fits;
      row.classList.toggle("away", !fits);
      details.classList.toggle("away", !fits);
      row.hidden = !fits || fitting > state.limit;
      if (row.hidden) {
        details.hidden = true;
        row.querySelector("button").setAttribute("aria-expanded", "false");
      }
      shown += !row.hidden;
    }
    const away = rows.length - fitting;
    count.textContent = `${shown} of ${fitting} shown` + (away ? `; the filter hides ${away}` : "");
    all.hidden = fitting <= shown;
    all.textContent = `Show all ${fitting}`;
  };
  tools.querySelector("input").addEventListener("input", event => { state.text = event.target.value.trim().toLowerCase(); show(); });
  tools.querySelector("select")?.addEventListener("change", event => { state.kind = event.target.value; show(); });
  show();
}

// A table wider than the screen is scrolled by keys, too.
const reach = () => {
  for (const table of document.querySelectorAll("table.plain")) {
    if (table.scrollWidth > table.clientWidth) table.tabIndex = 0; else table.removeAttribute("tabindex");
  }
};
window.addEventListener("resize", reach);
document.addEventListener("toggle", reach, true);
reach();

// A link of the menu opens the section that it leads to.
const unfold = () => {
  const section = location.hash ? document.getElementById(location.hash.slice(1)) : null;
  section?.querySelector(":scope > details")?.setAttribute("open", "");
};
window.addEventListener("hashchange", unfold);
document.querySelector("nav")?.addEventListener("click", event => {
  const link = event.target.closest("a");
  if (link) document.getElementById(link.hash.slice(1))?.querySelector(":scope > details")?.setAttribute("open", "");
});
unfold();
