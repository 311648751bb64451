// SPDX-License-Identifier: Apache-2.0
// A picture of a .glb in a page: node scripts/capture_page.mjs FILE.glb OUT.png [seconds] [at] [look], in the repository's
// folder, with the file below it. Needs chromium, and in build/npm the packages playwright-core and three.
import fs from "node:fs";
import http from "node:http";
import path from "node:path";
import { createRequire } from "node:module";

const [file, out, seconds = "0", at = "", look = ""] = process.argv.slice(2);
const { chromium } = createRequire(path.resolve("build/npm/node_modules/x.js"))("playwright-core");
const kinds = { ".html": "text/html", ".js": "text/javascript" };
const server = http.createServer((request, answer) => {
  const wanted = path.join(".", decodeURIComponent(new URL(request.url, "http://x").pathname));
  if (!fs.existsSync(wanted)) return answer.writeHead(404).end();
  answer.writeHead(200, { "content-type": kinds[path.extname(wanted)] || "application/octet-stream" });
  fs.createReadStream(wanted).pipe(answer);
}).listen(0, "127.0.0.1");
await new Promise((ready) => server.once("listening", ready));
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: ["--no-sandbox", "--enable-unsafe-swiftshader", "--use-angle=swiftshader"],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const query = new URLSearchParams({ file: `/${file}`, seconds, at, look });
await page.goto(`http://127.0.0.1:${server.address().port}/scripts/export_page.html?${query}`);
await page.waitForFunction(() => /^(shown|failed)/.test(document.title), null, { timeout: 60000 });
const title = await page.title();
await page.screenshot({ path: out });
await browser.close();
server.close();
console.log(title);
process.exit(title === "shown" ? 0 : 1);
