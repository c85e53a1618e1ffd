// What one does in the workbench, twenty times each in a real browser: milliseconds from the key or
// click until what follows is painted. One line of JSON for each: name, median, p95.
//   node workbench-browser.js MODULES CHROMIUM URL
"use strict";
const [,, modules, executablePath, url] = process.argv;
const { chromium } = require(modules + "/playwright-core");
const turns = 20;

(async () => {
  const browser = await chromium.launch({ executablePath, args: ["--no-sandbox"] });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(url);
  await page.waitForFunction(() => document.querySelector("table.data tbody tr"), null, { timeout: 300000 });
  // From the first event after `arm` until what it asks for is drawn whole and painted.
  await page.evaluate(() => {
    window.arm = first => {
      let began = null;
      for (const kind of ["pointerdown", "keydown", "change", "popstate"]) {
        window.addEventListener(kind, () => { began = began ?? performance.now(); }, { capture: true, once: true });
      }
      window.painted = new Promise((done, fail) => {
        setTimeout(() => fail(new Error("nothing was drawn")), 60000);
        const drawn = () => {
          if (!first && /being (worked out|checked)/.test(document.getElementById("main").textContent)) return;
          document.removeEventListener("drawn", drawn);
          requestAnimationFrame(() => setTimeout(() => done(performance.now() - began), 0));
        };
        document.addEventListener("drawn", drawn);
      });
      return null;
    };
  });
  const once = async (act, first = false) => {
    await page.evaluate(first => window.arm(first), first);
    await act();
    return page.evaluate(() => window.painted);
  };
  const view = name => once(() => page.locator(`[data-view=${name}]`).click());
  const report = (name, took) => {
    took.sort((one, other) => one - other);
    console.log(JSON.stringify({ name, median: took[turns / 2], p95: took[Math.ceil(turns * 0.95) - 1] }));
  };
  // first: until something is painted, be it that the rest is being worked out.
  const often = async (name, act, back = null, first = false) => {
    const took = [];
    for (let turn = 0; turn < turns; turn++) {
      took.push(await once(() => act(turn), first));
      if (back) await back(turn);
    }
    report(name, took);
  };
  const drag = async (figure, turn) => {
    const box = await page.locator(figure).boundingBox();
    const at = share => [box.x + box.width * share, box.y + box.height * 0.4];
    await page.mouse.move(...at(0.35 + turn / 60));
    await page.mouse.down();
    await page.mouse.move(...at(0.5 + turn / 60), { steps: 3 });
    await page.mouse.up();
  };
  await page.waitForTimeout(2000);

  const facets = page.locator("button.facet:not([aria-pressed=true])");
  await often("facet", turn => facets.nth(turn % 6).click(),
    () => once(() => page.locator("button.facet[aria-pressed=true]").first().click()));
  const word = (await page.locator("table.data tbody tr button.row").first().innerText()).match(/\w{4,}/g).pop();
  await often("search", () => page.locator("#set-q").pressSequentially(word.slice(0, 1)),
    () => once(() => page.locator("#set-q").press("Backspace")));
  const orders = ["hours", "gain"];
  await often("sort", turn => page.locator("select[data-set=sort]").selectOption(orders[turn % 2]));
  await often("line", async turn => {
    await page.locator("table.data tbody tr button.row").nth(turn).click();
  }, () => once(() => page.keyboard.press("Escape")));
  const undone = [];
  await often("decide", async turn => {
    await page.locator("table.data tbody tr button.row").nth(turn % 5).focus();
    await page.keyboard.press("f");
  }, async () => { undone.push(await once(() => page.keyboard.press("u"))); });
  report("undo", undone);
  await often("Explore", () => page.locator("[data-view=explore]").click(), () => view("list"));
  await view("explore");
  await often("Explore, new words", async turn => {
    await page.locator("#add-arg").selectOption("query_text");
    await page.locator("#add-value").fill(`e${String.fromCharCode(97 + turn)}`);
    await page.locator("[data-add]").click();
  }, () => once(() => page.locator("[data-remove]").first().click()));
  await view("changes");
  const whole = () => page.waitForFunction(() => !/being worked out/.test(document.getElementById("main").textContent));
  await often("brush, days: the windows", turn => drag("svg[data-brush=days]", turn), whole, true);
  await often("brush, days: what changed", turn => drag("svg[data-brush=days]", turn + 0.5));
  await view("curve");
  await often("brush, curve", turn => drag("svg[data-brush=position]", turn), () => view("curve"));
  await browser.close();
})().catch(error => {
  console.error(error.message);
  process.exit(1);
});
