// The workbench as somebody uses it, in a real browser. One line of JSON for each thing that must hold.
//   node workbench.js MODULES CHROMIUM URL HOSTILE_URL READ_ONLY_URL PROGRAM PROJECT LATER_EXPORT REPORT
"use strict";
const [,, modules, executablePath, url, hostile, readOnly, program, project, later, report] = process.argv;
const { chromium } = require(modules + "/playwright-core");
const http = require("http");
const fs = require("fs");
const { execFileSync } = require("child_process");
const axe = fs.readFileSync(modules + "/axe-core/axe.min.js", "utf8");

const must = (name, ok, seen = "") => console.log(JSON.stringify({ name, ok: Boolean(ok), seen: String(seen).slice(0, 500) }));
const status = (path, headers = {}) => new Promise(resolve => {
  const at = new URL(url);
  http.get({ host: at.hostname, port: at.port, path, headers }, answer => {
    let body = "";
    answer.on("data", part => { body += part; });
    answer.on("end", () => resolve([answer.statusCode, body]));
  }).on("error", () => resolve([0, ""]));
});

(async () => {
  const browser = await chromium.launch({ executablePath, args: ["--no-sandbox"] });
  const faults = [];
  const open = async (address, size = { width: 1280, height: 800 }, scheme = "light") => {
    const page = await browser.newPage({ viewport: size, colorScheme: scheme, reducedMotion: "reduce" });
    page.on("console", message => { if (message.type() === "error") faults.push(message.text()); });
    page.on("pageerror", error => faults.push(error.message));
    page.on("dialog", dialog => { faults.push("dialog " + dialog.message()); dialog.dismiss(); });
    await page.goto(address);
    await drawn(page);
    return page;
  };
  const drawn = page => page.waitForFunction(() => {
    const main = document.getElementById("main");
    return main.getAttribute("aria-busy") === "false" && !/Working out the list|being (worked out|checked)/.test(main.textContent);
  }, null, { timeout: 90000 });
  const after = async (page, act) => {
    await page.evaluate(() => { window.redrawn = new Promise(done => document.addEventListener("drawn", done, { once: true })); });
    await act();
    await page.evaluate(() => Promise.race([window.redrawn, new Promise((_, no) => setTimeout(() => no(new Error("nothing was drawn")), 20000))]));
    await drawn(page);
  };
  const rows = page => page.locator("table.data tbody tr").count();
  const text = page => page.locator("main").innerText();
  const accessible = async (page, name) => {
    await page.evaluate(axe);
    const found = await page.evaluate(() => axe.run(document, { resultTypes: ["violations"] }));
    must(`accessible: ${name}`, found.violations.length === 0,
      found.violations.map(v => `${v.id}: ${v.nodes[0].html} ${v.nodes[0].failureSummary}`).join("; "));
  };

  // Who has no token gets nothing.
  must("no token, no page", (await status("/"))[0] === 403);
  must("a wrong token, no page", (await status("/?token=0"))[0] === 403);
  const right = new URL(url).search;
  must("another name of this machine, no page", (await status("/" + right, { Host: "elsewhere.example" }))[0] === 403);
  const plain = await browser.newPage();
  await plain.goto(url.replace(/\?.*/, ""));
  must("without it nothing of the site is said", !(await plain.content()).includes("fernmoor"));
  await plain.close();

  const page = await open(url);
  const first = await rows(page);
  const visible = await page.evaluate(() => [...document.querySelectorAll("table.data tbody tr")].filter(row => row.getBoundingClientRect().bottom < innerHeight - 36).length);
  must("thirty rows are seen at once", visible >= 30 || visible === first, visible);
  await accessible(page, "list");

  // Filter as you type; what was typed stays.
  await after(page, () => page.locator("#set-q").pressSequentially("radish", { delay: 20 }));
  await page.waitForFunction(() => [...document.querySelectorAll("table.data tbody tr")]
    .every(row => /radish/i.test(row.innerText)), null, { timeout: 20000 }).catch(() => {});
  const grown = await page.locator("table.data tbody tr").allInnerTexts();
  must("typing filters", grown.length < first && grown.every(row => /radish/i.test(row)), grown.length);
  must("what was typed stays", await page.locator("#set-q").inputValue() === "radish");
  await after(page, () => page.locator("#set-q").fill(""));
  await page.waitForFunction(all => document.querySelectorAll("table.data tbody tr").length === all, first, { timeout: 20000 });
  const facet = page.locator("button.facet").first();
  const count = Number((await facet.locator(".count").innerText()).replace(/,/g, ""));
  await after(page, () => facet.click());
  must("a facet shows as many as it says", Math.min(count, 50) === await rows(page), `${count} ${await rows(page)}`);
  await after(page, () => page.locator("button.facet[aria-pressed=true]").first().click());

  // Esc at the first step stays; coming back, row, place and what is chosen are as they were.
  const fresh = await open(url);
  const begun = fresh.url();
  await fresh.locator("h1").first().focus();
  await fresh.keyboard.press("Escape");
  await fresh.waitForTimeout(300);
  must("Esc at the first step stays", fresh.url() === begun && await rows(fresh) > 0);
  for (let i = 0; i < 12; i++) await fresh.keyboard.press("j");
  await fresh.keyboard.press("x");
  const left = await fresh.evaluate(() => [document.activeElement.textContent, scrollY, document.getElementById("picked").textContent]);
  await after(fresh, () => fresh.keyboard.press("Enter"));
  must("a line's figures name their month", /IF DONE|If done/.test(await text(fresh)) && (await text(fresh)).includes("a month"));
  await after(fresh, () => fresh.getByRole("button", { name: "its pages" }).click());
  const days = await fresh.evaluate(() => ["set-from", "set-to"].map(id => document.getElementById(id).value));
  const taken = new URLSearchParams(new URL(fresh.url()).hash.slice(1));
  must("a line's links take its window along", taken.get("from") === days[0] && taken.get("to") === days[1] && days[0] < days[1], days);
  await after(fresh, () => fresh.keyboard.press("Escape"));
  await after(fresh, () => fresh.keyboard.press("Escape"));
  const again = await fresh.evaluate(() => [document.activeElement.textContent, scrollY, document.getElementById("picked").textContent]);
  must("coming back, all stands as it was left", JSON.stringify(again) === JSON.stringify(left), JSON.stringify([left, again]));
  await fresh.close();

  // By keys alone: a row, its line, back.
  await page.locator("h1").first().focus();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  const named = await page.evaluate(() => document.activeElement.textContent);
  await after(page, () => page.keyboard.press("Enter"));
  must("Enter opens the row", (await page.locator("h1").innerText()) === named, named);
  must("a line has its arithmetic", (await text(page)).includes("gain = if done x confidence x chance"));
  await accessible(page, "line");
  await page.locator("#new-title").fill((await page.locator("[data-word]").first().innerText()) + " x".repeat(60));
  must("a title that is tried tells its width and words", /pixels: it will be cut; words of [1-9]/.test(await page.locator("#title-fits").innerText()), await page.locator("#title-fits").innerText());
  must("words that it holds are marked", await page.locator("[data-word].held").count() >= 1);
  await page.locator("h1").focus();
  const task = await page.locator("article").getAttribute("data-id");
  await after(page, () => page.keyboard.press("j"));
  must("j is the next task", await page.locator("article").getAttribute("data-id") !== task);
  await after(page, () => page.keyboard.press("k"));
  must("k the one before", await page.locator("article").getAttribute("data-id") === task);
  const line = page.url();
  const gain = async () => (await page.locator("article dl").first().innerText()).replace(/\s+/g, " ");
  const assumed = await gain();
  await page.locator("#own-hours").fill("7");
  await page.locator("#own-chance").fill("5");
  await after(page, () => page.locator("[data-estimate]").click());
  must("own hours and chance count at once", /chance 5%.*hours 7/i.test(await gain()), await gain());
  must("and say so", (await text(page)).includes("chance set by hand: 0.050"));
  await page.locator("h1").focus();
  await after(page, () => page.keyboard.press("u"));
  must("undo takes them back", await gain() === assumed, await gain());

  // The loop: query, its pages, one page, its queries, and back.
  await after(page, () => page.getByRole("button", { name: "its pages" }).click());
  must("its pages", (await page.locator("h1").innerText()).includes("pages"));
  await after(page, () => page.locator("button.row").first().click());
  must("the queries of the page", (await page.locator("h1").innerText()).includes("queries") && await rows(page) >= 1);
  await after(page, () => page.locator("button.row").last().click());
  must("the way walked is shown", await page.locator(".trail li").count() === 3, await page.locator(".trail").innerText());
  const here = page.url();
  await after(page, () => page.goBack());
  await after(page, () => page.goBack());
  await after(page, () => page.goBack());
  must("the browser's way back returns", page.url() === line);
  await page.goto(here);
  await page.reload();
  await drawn(page);
  must("an address is a view", await page.locator(".trail li").count() === 3);
  await after(page, () => page.locator("[data-back='1']").click());
  must("a step can be returned to", await page.locator(".trail li").count() === 1);

  // The sentence: add, change in place, invert, take out; what is left out is said.
  await after(page, () => page.locator("[data-view=explore]").click());
  must("nothing is left out at first", (await text(page)).includes("All rows are shown"));
  await page.locator("#add-arg").selectOption("device");
  await page.locator("#add-value").fill("mobile");
  await after(page, () => page.locator("[data-add]").click());
  must("the condition stays chosen, its value goes", await page.locator("#add-arg").inputValue() === "device" && await page.locator("#add-value").inputValue() === "");
  must("what conditions leave out is said", /Not shown: [\d,]+ clicks/.test(await text(page)));
  const phones = await page.locator(".total").innerText();
  await after(page, () => page.locator("[data-invert='0.0']").click());
  must("a part is inverted", (await page.locator(".chip").innerText()).includes("not on mobile"));
  must("and gives the rest", phones !== await page.locator(".total").innerText());
  await page.locator("[data-edit='0.0']").click();
  await page.locator(".chip input").fill("desktop");
  await after(page, () => page.keyboard.press("Enter"));
  must("a part is changed in place", (await page.locator(".chip").innerText()).includes("not on desktop"));
  await accessible(page, "explore");
  await page.locator("#add-arg").selectOption("position");
  await page.locator("#add-value").fill("nonsense");
  await after(page, () => page.locator("[data-add]").click());
  must("a wrong value is said", await page.locator(".chip.fault").count() === 1);
  await after(page, () => page.locator("[data-remove='1.0']").click());
  await after(page, () => page.locator("[data-remove='0.0']").click());
  must("parts are taken out", await page.locator(".chip").count() === 0);

  // Alternatives: either of two, each of which can be changed and taken out by itself.
  const held = async () => Number((await page.locator(".total").innerText()).match(/rows: ([\d,]+) clicks/)[1].replace(/,/g, ""));
  const whole = await held();
  for (const [how, value] of [["", "mobile"], ["or", "desktop"], ["or", "tablet"]]) {
    if (how) await page.locator("#add-how").selectOption(how);
    await page.locator("#add-arg").selectOption("device");
    await page.locator("#add-value").fill(value);
    await after(page, () => page.locator("[data-add]").click());
  }
  must("alternatives stand as one condition", await page.locator(".either .chip").count() === 3);
  must("all alternatives hold all", await held() === whole, `${await held()} of ${whole}`);
  await after(page, () => page.locator("[data-remove='0.0']").click());
  must("one alternative less holds less", await page.locator(".chip").count() === 2 && await held() < whole);
  while (await page.locator("[data-remove]").count()) await after(page, () => page.locator("[data-remove]").first().click());

  // Decide with a key; it is there after a reload; undo takes it back.
  await after(page, () => page.locator("[data-view=list]").click());
  await page.keyboard.press("ArrowDown");
  const decided = await page.evaluate(() => `tr[data-id="${document.activeElement.closest("tr").dataset.id}"]`);
  await after(page, () => page.keyboard.press("h"));
  must("what is dismissed goes", await page.locator(decided).count() === 0, decided);
  await page.reload();
  await drawn(page);
  must("it is stored at once", await page.locator(decided).count() === 0);
  await after(page, () => page.keyboard.press("u"));
  must("undo takes it back", await page.locator(decided).count() === 1);
  await page.locator("[data-pick]").nth(0).click();
  await page.locator("[data-pick]").nth(2).click();
  must("what is chosen is summed", (await page.locator("#picked").innerText()).startsWith("2 chosen"));
  await page.locator("#note").fill("two at once");
  await after(page, () => page.locator("[data-decide=fix]").click());
  must("several are decided with a note", (await page.locator("main").innerText()).split("two at once").length === 3);
  await after(page, () => page.keyboard.press("u"));

  // Files of what is shown.
  const [csv] = await Promise.all([page.waitForEvent("download"), page.locator("[data-get=csv]").click()]);
  const lines = fs.readFileSync(await csv.path(), "utf8").trim().split("\n");
  must("the list as CSV", lines.length > first && lines[0].includes("if_done"), lines[0]);

  // Changes: a window dragged out on the trend.
  await after(page, () => page.locator("[data-view=changes]").click());
  must("two windows are compared", /\d to \d/.test(await page.locator(".figures").innerText()));
  await accessible(page, "changes");
  const drag = async (figure, from, to) => {
    const box = await page.locator(figure).boundingBox();
    await page.mouse.move(box.x + box.width * from[0], box.y + box.height * from[1]);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * (from[0] + to[0]) / 2, box.y + box.height * to[1], { steps: 4 });
    await page.mouse.move(box.x + box.width * to[0], box.y + box.height * to[1], { steps: 4 });
    await after(page, () => page.mouse.up());
  };
  await drag("svg[data-brush=days]", [0.7, 0.4], [0.8, 0.5]);
  must("a dragged window is the later one", /[#&]from=\d{4}-\d\d-\d\d&to=\d{4}-\d\d-\d\d/.test(page.url()), page.url());
  await page.keyboard.down("Shift");
  await drag("svg[data-brush=days]", [0.4, 0.4], [0.5, 0.5]);
  await page.keyboard.up("Shift");
  must("and with Shift the earlier one", /before_from=\d{4}-\d\d-\d\d/.test(page.url()), page.url());
  await after(page, () => page.locator("[data-view=contests]").click());
  must("who led when is drawn", await page.locator("svg.strip").count() >= 1);
  await accessible(page, "contests");
  await after(page, () => page.locator("[data-view=curve]").click());
  await accessible(page, "curve");
  await drag("svg[data-brush=position]", [0.2, 0.1], [0.9, 0.9]);
  must("a region of the curve lists its queries", page.url().includes("view=explore") && await rows(page) >= 1);
  await after(page, () => page.locator("[data-view=map]").click());
  await accessible(page, "map");
  const mark = page.locator("g.mark").last();
  await after(page, () => mark.click());
  must("a mark of the map opens its line", page.url().includes("view=line"));

  // What is worked out beside the list.
  for (const [view, says] of [["ahead", /if nothing is changed|Too few months/], ["pages", /Page by page/], ["outcomes", /Watched queries/], ["data", /Stored/]]) {
    await after(page, () => page.locator(`[data-view=${view}]`).click());
    must(`it comes: ${view}`, says.test(await text(page)), (await text(page)).slice(0, 80));
    await accessible(page, view);
  }

  const dark = await open(url, { width: 1280, height: 800 }, "dark");
  await accessible(dark, "dark list");
  await dark.close();
  const phone = await open(url, { width: 390, height: 800 });
  for (const view of ["list", "explore", "changes", "contests", "ahead", "pages", "outcomes", "data"]) {
    if (view !== "list") await after(phone, () => phone.locator(`[data-view=${view}]`).click());
    const wide = await phone.evaluate(() => document.scrollingElement.scrollWidth);
    must(`nothing is cut at 390 pixels: ${view}`, wide <= 392, wide);
    // Signs on the map are no letters.
    const least = await phone.evaluate(() => Math.min(99, ...[...document.querySelectorAll("main svg.figure :not(.mark) > text")]
      .map(letter => letter.getBoundingClientRect().height).filter(height => height > 0)));
    must(`letters of figures can be read at 390 pixels: ${view}`, least >= 11, least);
  }
  await accessible(phone, "phone");
  await phone.close();

  // Queries that are markup, script or too long stay text.
  const odd = await open(hostile);
  await after(odd, () => odd.locator("[data-view=explore]").click());
  must("markup in queries stays text", await odd.evaluate(() => !window.taken && !document.querySelector("main img, main script")));
  must("and is shown", (await text(odd)).includes("<script>"));
  await after(odd, () => odd.locator("button.row").first().click());
  await odd.goto(hostile + "#view=explore&by=%3Cimg%20src%3Dx%20onerror%3D%22taken%3D1%22%3E&c=query_text~%3Cscript%3Etaken%3D1%3C%2Fscript%3E&trail=%5B%7B%22label%22%3A%22%3Cimg%20src%3Dx%20onerror%3Dtaken%3D1%3E%22%7D%5D");
  await odd.reload();
  await drawn(odd);
  must("so does what stands in the address", await odd.evaluate(() => !window.taken));
  await odd.close();

  const reader = await open(readOnly);
  must("read only has no buttons to decide", await reader.locator("[data-decide]").count() === 0);

  // Data that are loaded meanwhile.
  execFileSync("Rscript", [program, "load", later, "--project", project], { stdio: "ignore" });
  await reader.locator(".stale").waitFor({ timeout: 60000 });
  must("a later load is noticed", (await text(reader)).includes("The data changed"));
  await accessible(reader, "data changed");
  await after(reader, () => reader.locator("[data-again]").click());
  must("and the list is worked out from it", await reader.locator(".stale").count() === 0 && await rows(reader) >= 1);
  await reader.close();
  // The report on a screen, a phone and on paper.
  for (const width of [1280, 390]) {
    const sheet = await browser.newPage({ viewport: { width, height: 800 } });
    await sheet.goto("file://" + report);
    const wide = await sheet.evaluate(() => document.documentElement.scrollWidth);
    must(`the report fits ${width} pixels`, wide <= width, wide);
    const words = (await sheet.locator("body").innerText()).split(/\s+/).length;
    must(`what stands open at ${width} pixels is short`, words <= 1500, words);
    const letters = await sheet.evaluate(() => Math.min(...[...document.querySelectorAll("figure svg text")]
      .map(letter => letter.getBoundingClientRect().height).filter(height => height > 0)));
    must(`letters of figures can be read at ${width} pixels`, letters >= 11, letters);
    await accessible(sheet, `report at ${width} pixels`);
    if (width === 1280) {
      const paper = (await sheet.pdf({ preferCSSPageSize: true })).toString("latin1");
      const sheets = Number(paper.match(/\/Count (\d+)/)[1]);
      must("on paper it is short", sheets >= 2 && sheets <= 10, sheets);
      await sheet.emulateMedia({ media: "print" });
      must("on paper the first five tasks have their evidence",
        await sheet.locator("#list tr.more:visible").count() === 5);
    }
    await sheet.close();
  }
  must("no error in the console", faults.length === 0, faults.join("; "));
  await browser.close();
})().catch(error => {
  must("the walk went to its end", false, error.stack);
  process.exit(1);
});
