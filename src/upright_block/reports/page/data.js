"use strict";
// What the data of a report say: runs unrolled, values and times as texts, corners of lanes. It knows no page.

const STATES = { "passed": ["good", "good"], "failed": ["WRONG", "wrong"], "fault": ["FAULT", "fault"],
  "checks nothing": ["nothing", "nothing"], "not run": ["NOT RUN", "not-run"] };

// Numbers from runs of one difference: [by, how often, by, how often, ...].
function unrolled(runs) {
  const found = [];
  let now = 0;
  for (let place = 0; place < runs.length; place += 2)
    for (let count = 0; count < runs[place + 1]; count++) found.push(now += runs[place]);
  return found;
}

// A lane as it is drawn: the times in ns from which on it has another value, and these; of states the number of their text.
function opened(lane, tick) {
  if (lane.times) return lane;
  lane.times = unrolled(lane.t).map((time) => time * tick);
  const values = lane.r ? unrolled(lane.r) : lane.v;
  lane.values = values.map(Number);
  lane.right = unrolled(lane.c).map((time) => time * tick);
  return lane;
}

// How many of some ascending numbers are at most this one.
function upTo(numbers, limit) {
  let low = 0, high = numbers.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (numbers[middle] <= limit) low = middle + 1; else high = middle;
  }
  return low;
}

const UNITS = [[86400e9, "d"], [3600e9, "h"], [60e9, "m"], [1e9, "s"], [1e6, "ms"], [1e3, "us"], [1, "ns"]];

// A duration as a person writes it: 1m30s, 1.5s, 250ms.
function shownTime(ns) {
  ns = Math.round(ns);
  if (ns === 0) return "0s";
  if (ns < 0) return "-" + shownTime(-ns);
  let text = "";
  for (const [size, unit] of UNITS.slice(0, 3)) {
    if (ns >= size) { text += Math.floor(ns / size) + unit; ns %= size; }
  }
  if (ns >= 1e9 || (text && ns)) return text + trimmed(ns / 1e9, 9) + "s";
  if (!ns) return text;
  const [size, unit] = UNITS.slice(4).find(([each]) => ns >= each);
  return trimmed(ns / size, 6) + unit;
}

function trimmed(number, digits) {
  return number.toFixed(digits).replace(/\.?0+$/, "");
}

function shownValue(lane, place) {
  if (place < 0) return "";
  if (lane.k === "states") return lane.x[lane.values[place]];
  const value = lane.values[place];
  if (lane.k === "bool" || lane.k === "step") return value ? "1" : "0";
  if (lane.d) return shownTime(value);
  if (!Number.isFinite(value)) return String(lane.v ? lane.v[place] : value);
  return String(Number(value.toPrecision(15))) + (lane.u ? " " + lane.u : "");
}

// Round times between two, at most about so many.
function ticks(begin, end, most) {
  const steps = [];
  for (let power = 0; power < 9; power++) for (const n of [1, 2, 5]) steps.push(n * 10 ** power);
  for (const n of [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 43200]) steps.push(n * 1e9);
  for (let power = 0; power < 5; power++) for (const n of [1, 2, 5]) steps.push(n * 86400e9 * 10 ** power);
  const step = steps.find((each) => (end - begin) / each < most) || end - begin;
  const found = [];
  for (let time = Math.ceil(begin / step) * step; time <= end; time += step) found.push(time);
  return found;
}

// The corners of a lane between two times, from 0 to 1 across; where they are more than can be told apart, the least and the greatest of each pixel.
function corners(lane, begin, end, pixels) {
  const first = Math.max(upTo(lane.times, begin) - 1, 0), last = upTo(lane.times, end - 1e-9);
  const across = (time) => (Math.min(Math.max(time, begin), end) - begin) / (end - begin);
  const points = [];
  if (last - first <= 2 * pixels) {
    for (let place = first; place < last; place++) {
      const until = place + 1 < lane.times.length ? lane.times[place + 1] : end;
      points.push([across(lane.times[place]), lane.values[place]], [across(until), lane.values[place]]);
    }
    return points;
  }
  let place = first;
  for (let pixel = 0; pixel < pixels && place < last; pixel++) {
    const limit = begin + (end - begin) * (pixel + 1) / pixels;
    let low = lane.values[place], high = low;
    while (place + 1 < last && lane.times[place + 1] < limit) {
      place++;
      low = Math.min(low, lane.values[place]);
      high = Math.max(high, lane.values[place]);
    }
    points.push([pixel / pixels, low], [pixel / pixels, high], [pixel / pixels, lane.values[place]]);
  }
  return points;
}

// The rises and falls of a case, in the order of time: [time, path, edge, how often until now].
function events(found) {
  const made = [];
  for (const lane of found.lanes.filter((each) => each.k === "bool" || each.k === "step")) {
    opened(lane, found.tick);
    const counts = { rises: 0, falls: 0 };
    for (let place = 0; place < lane.times.length; place++) {
      if (place === 0 && !lane.values[0]) continue;
      const edge = lane.values[place] ? "rises" : "falls";
      made.push([lane.times[place], lane.p, edge, ++counts[edge]]);
    }
  }
  return made.sort((a, b) => a[0] - b[0]);
}

// Whether a case has all of some words in it, or in the names of the blocks inside its unit.
function fits(found, words, inside = []) {
  if (found.search === undefined)
    found.search = [found.id, found.file, found.block, ...inside, found.name, found.status, ...(found.lanes || []).map((lane) => lane.p)].join(" ").toLowerCase();
  return words.every((word) => found.search.includes(word));
}

// A name without its middle where it is too long: its ends tell it from others.
function shortened(text, most) {
  if (text.length <= most) return text;
  const last = Math.floor((most - 1) / 2);
  return text.slice(0, most - 1 - last) + "\u2026" + text.slice(text.length - last);
}

// The measures of a diagram in so many pixels: names at the left and numbers at the right take what they need, and
// where that leaves too little they stand above their lanes.
function layout(found, room) {
  const width = Math.min(Math.max(Math.floor(room), 300), 1200), letter = 7.5;  // the widest of a bold name
  const longest = (texts) => texts.reduce((most, text) => Math.max(most, text.length), 0);
  const names = longest([...(found.lanes || []).map((lane) => lane.n), ...(found.dims || []).map((row) => row.name), "rule"]);
  const sides = longest([...(found.lanes || []).flatMap((lane) => lane.s || []), ...(found.dims || []).flatMap((row) => row.limits.split(", "))]);
  const left = Math.min(letter * Math.min(names, 34) + 18, width / 3), right = Math.min(Math.max(letter * sides + 12, 90), width / 3);
  if (width < 640) return { width, left: 8, right: 8, plot: width - 16, above: 16, letters: Math.floor(width / letter) - 12 };
  return { width, left, right, plot: width - left - right, above: 0, letters: Math.floor((left - 14) / letter) };
}

// The times at which something of a case is wrong, in their order.
function wrongTimes(found) {
  const times = [];
  for (const lane of found.lanes || []) times.push(...lane.w.map((span) => span[0]), ...lane.m.map((mark) => mark[0]));
  for (const row of found.dims || []) times.push(...row.spans.filter((span) => !span[2]).map((span) => span[1]));
  for (const rule of found.rules || []) if (rule[1] !== null) times.push(rule[1]);
  if (found.fault) times.push(found.fault[0]);
  return [...new Set(times)].sort((a, b) => a - b);
}
