// The page in a real browser: nothing leaves it, its landmarks, names and contrasts are as WCAG wants them (axe-core's
// rules), its links lead somewhere, its switch works by keyboard, and no name from a repository becomes markup.
// Needs playwright-core and axe-core (npm), a Chromium, and the program: CHROMIUM=… REDSHANK=… node page.mjs
import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";

const require = createRequire(join(process.cwd(), "x.js"));
const { chromium } = require("playwright-core");
const axe = readFileSync(require.resolve("axe-core/axe.min.js"), "utf8");

const work = mkdtempSync(join(tmpdir(), "redshank-page-"));
const program = resolve(process.env.REDSHANK);
const redshank = (...words) => execFileSync(program, words, { env: { ...process.env, HOME: work } });
const demo = join(work, "tidewatch");
redshank("demo", "--files-only", demo);
redshank("--root", demo, "prove", "--record", "--write", "--yes");
// Names that would like to be markup.
const hostile = "<img src=x onerror=document.title='got you'>";
mkdirSync(join(demo, "<script>document.title='got you'<"));
writeFileSync(join(demo, "<script>document.title='got you'<", "a.log"), "x".repeat(9e6));
writeFileSync(join(demo, hostile), "x");
writeFileSync(join(demo, "redshank.toml"), readFileSync(join(demo, "redshank.toml"), "utf8") +
    `\n[[expect]]\npath = "${hostile}"\nstate = "kept"\nbecause = "</td><script>document.title='got you'</script>"\n`);
const page = join(work, "page.html");
redshank("--root", demo, "survey", "--page", page);

const failures = [];
const check = (is, what) => { if (!is) failures.push(what); };

const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
        "--disable-component-update", "--disable-sync"],
});
for (const colorScheme of ["light", "dark"]) {
    for (const viewport of [{ width: 1280, height: 800 }, { width: 390, height: 844 }]) {
        const name = `${colorScheme} ${viewport.width}x${viewport.height}`;
        // The checker runs as a script beside the page; the page itself allows none.
        const context = await browser.newContext({ colorScheme, viewport, bypassCSP: true });
        const tab = await context.newPage();
        const asked = [];
        tab.on("request", request => asked.push(request.url()));
        tab.on("console", message => failures.push(`${name}: ${message.text()}`));
        await tab.goto(`file://${page}`);
        check(asked.length === 1, `${name}: asked for ${asked}`);
        check(!(await tab.title()).includes("got you"), `${name}: a name became a script`);
        check(await tab.locator("script, img").count() === 0, `${name}: a name became markup`);
        const wide = await tab.evaluate(() => document.documentElement.scrollWidth - innerWidth);
        check(wide <= 0, `${name}: the page is ${wide} px wider than the window`);
        await tab.evaluate(axe);
        const { violations } = await tab.evaluate(() => axe.run({ runOnly: ["wcag2a", "wcag2aa", "wcag21aa", "best-practice"] }));
        for (const one of violations) failures.push(`${name}: ${one.id}: ${one.help}: ${one.nodes.slice(0, 3).map(node => node.html)}`);
        for (const link of await tab.locator("a[href^='#']").all()) {
            const target = await link.getAttribute("href");
            check(await tab.locator(target).count() === 1, `${name}: ${target} leads nowhere`);
        }
        check(await tab.locator(".by-size").isVisible(), `${name}: no map by size`);
        await tab.locator("#by-size").focus();
        await tab.keyboard.press("ArrowRight");
        check(await tab.locator(".by-count").isVisible(), `${name}: the switch doesn't take the keyboard`);
        await context.close();
    }
}
// With its own policy in force, a script that got in would not run.
const context = await browser.newContext();
const tab = await context.newPage();
await tab.goto(`file://${page}`);
await tab.evaluate(() => document.body.append(Object.assign(document.createElement("script"), { textContent: "document.title = 'got you'" })));
check(!(await tab.title()).includes("got you"), "the policy lets scripts run");
await tab.emulateMedia({ media: "print" });
check(await tab.locator(".by-count").isVisible() && !(await tab.locator("nav").isVisible()), "print shows both maps and no links");
await browser.close();

console.log(failures.length ? failures.join("\n") : "the page holds in light and dark, wide and narrow, on screen and on paper");
process.exit(failures.length ? 1 : 0);
