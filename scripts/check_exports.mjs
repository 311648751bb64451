// SPDX-License-Identifier: Apache-2.0
// Checks exported files: node check_exports.mjs MODULES FILE...
// .glb: the public glTF validator. .usda: two public parsers, and array lengths, index ranges and time samples.
import fs from "node:fs";
import path from "node:path";
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";

const modules = path.resolve(process.argv[2]);
const require = createRequire(path.join(modules, "x.js"));
const load = (name) => import(pathToFileURL(path.join(modules, name)).href);
let failed = 0;
const fail = (file, what) => {
  failed += 1;
  console.log(`${file}: ${what}`);
};

async function checkGlb(file, bytes) {
  const report = await require("gltf-validator").validateBytes(bytes, { maxIssues: 50 });
  for (const m of report.issues.messages) if (m.severity === 0) fail(file, `${m.code} ${m.message} ${m.pointer}`);
  return `glTF: ${report.issues.numErrors} errors, ${report.issues.numWarnings} warnings`;
}

// What is in brackets, in numbers or names; a tuple counts as one.
function lengthOf(list) {
  if (list.trim() === "") return 0;
  return list.includes("(") ? list.split("(").length - 1 : list.split(",").length;
}

// Prims as { name, attributes: { name: { value } or { samples: Map } } }, by lines as this program writes them.
function primsOf(text) {
  const prims = [];
  const open = [];
  let attribute = null;
  for (const line of text.split("\n")) {
    const def = line.match(/^\s*(?:def|class) (\w+ )?"([^"]+)"/);
    if (def) {
      open.push({ type: (def[1] || "").trim(), name: def[2], attributes: {}, children: [] });
      prims.push(open.at(-1));
      if (open.length > 1) open.at(-2).children.push(open.at(-1));
      continue;
    }
    const start = line.match(/^\s*(?:custom |uniform )*[\w\d]+(?:\[\])? ([\w:]+)\.timeSamples = \{/);
    const value = line.match(/^\s*(?:custom |uniform )*(?:rel |[\w\d]+(?:\[\])? )([\w:]+) = (.*?)(?: \()?$/);
    if (start) attribute = open.at(-1).attributes[start[1]] = { samples: new Map() };
    else if (attribute && /^\s*-?[\d.e]+: /.test(line)) {
      const at = line.indexOf(":");
      attribute.samples.set(Number(line.slice(0, at)), line.slice(at + 1).trim().replace(/,$/, ""));
    } else if (attribute && /^\s*\}/.test(line)) attribute = null;
    else if (value && open.length && !line.endsWith("{")) open.at(-1).attributes[value[1]] = { value: value[2] };
    else if (/ = \{$/.test(line)) open.push({ type: "", name: "", attributes: {}, children: [] });
    else if (/^\s*\}$/.test(line)) open.pop();
  }
  return prims;
}

const inner = (v) => v.replace(/^\[/, "").replace(/\]$/, "");

function checkTimes(file, prim, first, last) {
  for (const [name, a] of Object.entries(prim.attributes)) {
    if (!a.samples) continue;
    let before = -Infinity;
    if (a.samples.size === 0) fail(file, `${prim.name}.${name} has no samples`);
    for (const t of a.samples.keys()) {
      if (!(t > before) || t < first || t > last) fail(file, `${prim.name}.${name}: time ${t} is out of order or range`);
      before = t;
    }
  }
}

function eachValue(a, visit) {
  if (!a) return;
  if (a.samples) for (const [t, v] of a.samples) visit(inner(v), t);
  else visit(inner(a.value), "always");
}

function checkInstancer(file, prim) {
  const a = prim.attributes;
  const count = lengthOf(inner(a.ids.value));
  const prototypes = a.prototypes.value.split("</").length - 1;
  if (lengthOf(inner(a.protoIndices.value)) !== count) fail(file, `${prim.name}: protoIndices are not ${count}`);
  for (const i of inner(a.protoIndices.value).split(","))
    if (!(Number(i) >= 0 && Number(i) < prototypes)) fail(file, `${prim.name}: prototype ${i} of ${prototypes}`);
  for (const name of ["positions", "orientations", "orientationsf", "scales", "velocities", "angularVelocities"])
    eachValue(a[name], (v, t) => {
      if (lengthOf(v) !== count) fail(file, `${prim.name}.${name} at ${t}: ${lengthOf(v)}, not ${count}`);
    });
  const ids = new Set(inner(a.ids.value).split(",").map((x) => x.trim()));
  eachValue(a.invisibleIds, (v, t) => {
    for (const id of v.split(",")) if (v && !ids.has(id.trim())) fail(file, `${prim.name}: no id ${id} at ${t}`);
  });
}

function checkMesh(file, prim) {
  const a = prim.attributes;
  const faces = lengthOf(inner(a.faceVertexCounts.value));
  const corners = inner(a.faceVertexIndices.value).split(",").map(Number);
  if (corners.length !== 3 * faces) fail(file, `${prim.name}: ${corners.length} corners of ${faces} triangles`);
  const most = corners.reduce((x, y) => Math.max(x, y), 0);
  eachValue(a.points, (v, t) => {
    if (most >= lengthOf(v)) fail(file, `${prim.name}: index ${most} of ${lengthOf(v)} points at ${t}`);
  });
  for (const name of ["normals", "primvars:st"])
    if (lengthOf(inner(a[name].value)) !== corners.length) fail(file, `${prim.name}.${name}: not one a corner`);
  const taken = new Set();
  for (const s of prim.children.filter((c) => c.type === "GeomSubset"))
    for (const i of inner(s.attributes.indices.value).split(",").map(Number)) {
      if (i >= faces || taken.has(i)) fail(file, `${prim.name}: face ${i} is in no or several surfaces`);
      taken.add(i);
    }
  if (taken.size !== 0 && taken.size !== faces) fail(file, `${prim.name}: ${taken.size} of ${faces} faces have a surface`);
}

async function checkUsd(file, bytes, text) {
  const { parse } = await load("@kroxilon/usda-parser/lib/usda-parser.peggy.js").then((m) => (m.parse ? m : m.default));
  try {
    parse(text);
  } catch (e) {
    fail(file, `${e.message.slice(0, 200)} at ${JSON.stringify(e.location?.start)}`);
  }
  // Made for pages: it looks for a window, and takes a process for another place.
  globalThis.window = globalThis;
  globalThis.document ||= { currentScript: null };
  const versions = Object.getOwnPropertyDescriptor(process, "versions");
  Object.defineProperty(process, "versions", { value: {}, configurable: true });
  const wasm = fs.readFileSync(path.join(modules, "tinyusdz/tinyusdz.wasm"));
  const usd = await (await load("tinyusdz/tinyusdz.js")).default({ wasmBinary: wasm, locateFile: (x) => `file:///${x}` });
  Object.defineProperty(process, "versions", versions);
  const loader = new usd.TinyUSDZLoaderNative();
  if (!loader.loadFromBinary(new Uint8Array(bytes), file)) fail(file, `not loaded: ${loader.error()}`);
  if (/\b(nan|inf)\b/.test(text)) fail(file, "nan or inf");
  const number = (name) => Number(text.match(new RegExp(`${name} = ([-\\d.e]+)`))[1]);
  const first = number("startTimeCode"), last = number("endTimeCode");
  const prims = primsOf(text);
  for (const p of prims) {
    checkTimes(file, p, first, last);
    if (p.type === "PointInstancer") checkInstancer(file, p);
    if (p.type === "Mesh") checkMesh(file, p);
    if (p.type === "BasisCurves")
      eachValue(p.attributes.curveVertexCounts, (v, t) => {
        const points = lengthOf(inner(p.attributes.points.samples.get(t)));
        if (points !== 2 * lengthOf(v)) fail(file, `${p.name} at ${t}: ${points} points of ${lengthOf(v)} curves`);
      });
    if (p.type === "Points")
      eachValue(p.attributes.points, (v, t) => {
        for (const n of ["normals", "primvars:impulse", "primvars:kind"])
          if (lengthOf(inner(p.attributes[n].samples.get(t))) !== lengthOf(v)) fail(file, `${n} at ${t}`);
      });
  }
  return `USD: ${prims.length} prims`;
}

for (const file of process.argv.slice(3)) {
  const bytes = fs.readFileSync(file);
  const told = file.endsWith(".glb") ? await checkGlb(file, new Uint8Array(bytes)) : await checkUsd(file, bytes, bytes.toString());
  console.log(`${path.basename(file)}: ${told}`);
}
process.exit(failed ? 1 : 0);
