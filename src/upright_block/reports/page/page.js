"use strict";
// The page of a report, drawn from its data.

const SVG = "http://www.w3.org/2000/svg";
const LANE = 36, HEAD = 22, TOP = 20, FOOT = 26, PRINTED = 700;
const MOST_EVENTS = 500, MOST_OPENED = 200, MOST_ACROSS = 12;

function element(name, options = {}, ...children) {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(options)) if (value !== undefined) made[key] = value;
  made.append(...children);
  return made;
}

function drawn(name, attributes, text) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (text !== undefined) made.textContent = text;
  return made;
}

function cut(text, most) {
  return text.length <= most ? text : text.slice(0, most - 1) + "\u2026";
}

class Diagram {
  constructor(found) {
    this.found = found;
    this.svg = drawn("svg", { role: "img", tabindex: "-1", "aria-label": "What the pins did over time" });
    this.where = element("output");
    this.begin = 0;
    this.end = found.end;
    this.lanes = found.lanes.map((lane) => opened(lane, found.tick));
    this.wrong = wrongTimes(found);
    this.fit(1180);
    new ResizeObserver(([entry]) => { if (entry.contentRect.width) this.fit(entry.contentRect.width); }).observe(this.svg);
    this.svg.addEventListener("pointerdown", (event) => this.grab(event));
    this.svg.addEventListener("pointermove", (event) => this.point(event));
    this.svg.addEventListener("pointerup", (event) => this.drop(event));
    this.svg.addEventListener("pointerleave", () => this.point(null));
    this.svg.addEventListener("dblclick", () => this.look(0, this.found.end));
  }

  tools() {
    const named = [["whole", () => this.act("0")], ["closer", () => this.act("+")], ["wider", () => this.act("-")],
      ["earlier", () => this.act("ArrowLeft")], ["later", () => this.act("ArrowRight")]];
    if (this.wrong.length) named.push(["next wrong value", () => this.act("w")]);
    return element("div", { className: "tools" }, ...named.map(([text, onclick]) => element("button", { type: "button", textContent: text, onclick })), this.where);
  }

  // What a key does; whether it does anything.
  act(key) {
    const span = this.end - this.begin, middle = (this.begin + this.end) / 2;
    if (key === "0") this.look(0, this.found.end);
    else if (key === "+" || key === "=") this.look(middle - span / 4, middle + span / 4);
    else if (key === "-") this.look(middle - span, middle + span);
    else if (key === "ArrowLeft") this.look(this.begin - span / 4, this.end - span / 4);
    else if (key === "ArrowRight") this.look(this.begin + span / 4, this.end + span / 4);
    else if (key === "w" && this.wrong.length) {
      const next = this.wrong.find((time) => this.at === undefined || time > this.at);
      this.at = next === undefined ? this.wrong[0] : next;
      const around = Math.max(20 * this.found.scan, this.found.end / 50);
      this.look(this.at - around / 2, this.at + around / 2);
      this.mark(this.at);
    } else return false;
    return true;
  }

  // Draw for so many pixels.
  fit(room) {
    const size = layout(this.found, room);
    if (this.size && this.size.width === size.width) return;
    this.size = size;
    this.redraw();
  }

  look(begin, end) {
    const whole = this.found.end, span = Math.min(Math.max(end - begin, this.found.scan * 2), whole);
    this.begin = Math.min(Math.max(begin, 0), whole - span);
    this.end = this.begin + span;
    this.redraw();
  }

  x(time) {
    return this.size.left + this.size.plot * (Math.min(Math.max(time, this.begin), this.end) - this.begin) / (this.end - this.begin);
  }

  sees(begin, end) {
    return begin < this.end && end > this.begin;
  }

  redraw() {
    const svg = this.svg, { width, left, right, plot, above } = this.size;
    svg.replaceChildren();
    this.values = [];
    let y = TOP, group = "";
    const parts = [];
    for (const [place, lane] of this.lanes.entries()) {
      if (lane.g && lane.g !== group) {
        parts.push(drawn("text", { x: 4, y: y + 15, class: "group" }, shortened(lane.g, 60)));
        parts.push(drawn("path", { class: "grid", d: `M4 ${y + HEAD - 2}H${width - right}` }));
        y += HEAD;
      }
      group = lane.g;
      parts.push(...this.lane(lane, y));
      y += LANE + above;
      for (const row of this.found.dims.filter((each) => each.below === place)) { parts.push(...this.dimension(row, y)); y += LANE + above; }
    }
    for (const row of this.found.dims.filter((each) => each.below < 0)) { parts.push(...this.dimension(row, y)); y += LANE + above; }
    for (const rule of this.found.rules) { parts.push(...this.rule(rule, y)); y += LANE + above; }
    this.bottom = y;
    svg.setAttribute("viewBox", `0 0 ${width} ${y + FOOT}`);
    for (const [begin, end] of this.found.idle) {
      if (this.sees(begin, end)) svg.append(drawn("path", { class: "idle", d: `M${this.x(begin)} ${TOP}H${this.x(end)}V${y}H${this.x(begin)}Z` }));
    }
    for (const time of ticks(this.begin, this.end, Math.max(plot / 84, 3))) {
      svg.append(drawn("path", { class: "grid", d: `M${this.x(time)} ${TOP}V${y + 4}` }));
      const text = shownTime(time), half = 3.4 * text.length;
      svg.append(drawn("text", { x: Math.min(Math.max(this.x(time), half), width - half), y: y + 20, "text-anchor": "middle", class: "dim" }, text));
    }
    svg.append(...parts);
    const rows = unrolled(this.found.rows).map((time) => time * this.found.tick).filter((time) => time >= this.begin && time <= this.end);
    svg.append(drawn("path", { class: "mark", d: rows.map((time) => `M${this.x(time) - 3} ${y + 5}l3 -5l3 5z`).join("") }));
    if (this.found.fault && this.sees(this.found.fault[0] - 1, this.found.fault[0] + 1)) {
      const x = this.x(this.found.fault[0]);
      svg.append(drawn("path", { class: "miss", d: `M${x} ${TOP - 4}V${y}` }));
      svg.append(drawn("text", { x: x > width / 2 ? x - 6 : x + 6, y: TOP - 6, class: "bad small", "text-anchor": x > width / 2 ? "end" : "start" }, this.found.fault[1]));
    }
    this.chosen = drawn("path", { class: "chosen", d: "" });
    this.cursor = drawn("path", { class: "cursor", d: "" });
    svg.append(this.chosen, this.cursor);
  }

  label(text, y, style) {
    const { left, above, letters } = this.size, shown = shortened(text, letters);
    return above ? drawn("text", { x: 4, y: y + 14, class: style }, shown) : drawn("text", { x: left - 10, y: y + 24, "text-anchor": "end", class: style }, shown);
  }

  // What stands at the right of a lane, whole: over the lane where the margin is too narrow for it.
  side(y, style) {
    const { width, right, above } = this.size;
    const place = above ? { x: width - 4, y: y + 14, "text-anchor": "end" } : { x: width - right + 8, y: y + 24 };
    return drawn("text", { ...place, class: style });
  }

  // Put a text at the side.
  say(side, text) {
    const { width, right, above } = this.size, is_wide = !above && text.length * 6.7 > right - 8;
    side.textContent = text;
    side.setAttribute("x", above || is_wide ? width - 4 : width - right + 8);
    side.setAttribute("text-anchor", above || is_wide ? "end" : "start");
  }

  lane(lane, y) {
    const parts = [this.label(lane.n, y, lane.i ? "" : "out")];
    const head = y;
    y += this.size.above;
    const top = y + 9, base = y + 31, [low, high] = lane.b, { left, width, right: margin, plot } = this.size;
    const height = (value) => high > low ? base - (base - top) * (value - low) / (high - low) : base;
    if (lane.k === "states") parts.push(...this.states(lane, y));
    else {
      const points = corners(lane, this.begin, this.end, plot).map(([x, value]) => [left + plot * x, Number.isFinite(value) ? height(value) : base]);
      const line = points.map(([x, to], place) => `${place ? "L" : "M"}${x.toFixed(1)} ${to.toFixed(1)}`).join("");
      if (points.length && (lane.k !== "number" || lane.d)) {
        const area = `${line}L${points[points.length - 1][0].toFixed(1)} ${base}L${points[0][0].toFixed(1)} ${base}Z`;
        parts.push(drawn("path", { class: lane.k === "step" ? "step" : "area", d: area }));
      }
      parts.push(drawn("path", { d: line }));
    }
    for (const [begin, end] of lane.w) {
      if (this.sees(begin, end)) parts.push(drawn("path", { class: "apart", d: `M${this.x(begin)} ${top}H${this.x(end)}V${base}H${this.x(begin)}Z` }));
    }
    const right = lane.right.filter((time) => time >= this.begin && time < this.end);
    if (right.length) parts.push(drawn("path", { d: right.slice(0, 2000).map((time) => `M${this.x(time)} ${y + 2}v4`).join("") }));
    for (const [time, until, text, first, level, got] of lane.m) {
      if (!this.sees(time, until)) continue;
      const at = level === null ? y + 20 : height(level), x = this.x(Math.max(first, time));
      if (level !== null && this.x(until) - this.x(time) > 4) parts.push(drawn("path", { class: "expected", d: `M${this.x(time)} ${at}H${this.x(until)}` }));
      parts.push(drawn("path", { class: "miss", d: `M${x - 4} ${at - 4}l8 8m0 -8l-8 8` }));
      const isLate = x > left + plot / 2;
      parts.push(drawn("text", { x: isLate ? x - 7 : x + 7, y: y + 9, class: "bad small", "text-anchor": isLate ? "end" : "start" }, cut(got ? `${got} \u2260 ${text}` : text, 40)));
    }
    const value = this.side(head, "value");
    const idle = lane.s.join(" .. ") + (lane.z ? " (thinned)" : "");
    const rest = lane.s.length && !this.size.above ? () => this.ends(value, lane.s, top, base) : () => this.say(value, idle);
    rest();
    this.values.push([lane, value, rest]);
    parts.push(value);
    return parts;
  }

  // The least and the greatest of a lane at its lower and its upper end.
  ends(side, [low, high], top, base) {
    const x = this.size.width - this.size.right + 8;
    side.setAttribute("x", x);
    side.setAttribute("text-anchor", "start");
    side.replaceChildren(drawn("tspan", { x, y: base + 1 }, low), ...(high === undefined ? [] : [drawn("tspan", { x, y: top + 5 }, high)]));
  }

  states(lane, y) {
    const parts = [], first = Math.max(upTo(lane.times, this.begin) - 1, 0), last = upTo(lane.times, this.end);
    let boxes = "", texts = 0;
    for (let place = first; place < last; place++) {
      const left = this.x(lane.times[place]), right = this.x(place + 1 < lane.times.length ? lane.times[place + 1] : this.found.end);
      boxes += `M${left.toFixed(1)} ${y + 10}H${right.toFixed(1)}V${y + 31}H${left.toFixed(1)}Z`;
      const text = lane.x[lane.values[place]];
      if (right - left > 7 * text.length + 4 && texts++ < 200)
        parts.push(drawn("text", { x: (left + right) / 2, y: y + 25, "text-anchor": "middle", class: "small" }, text));
    }
    return [drawn("path", { class: "box", d: boxes }), ...parts];
  }

  dimension(row, y) {
    const { left: begin_, width, right: margin, above } = this.size, side = this.side(y, "small dim");
    if (above) this.say(side, row.limits);
    else side.append(...row.limits.split(", ").map((text, line, all) => drawn("tspan", { x: width - margin + 8, y: y + (all.length > 1 ? 17 + 13 * line : 24) }, text)));
    const parts = [this.label(row.name, y, "group"), side];
    y += above;
    for (const [begin, end, isRight, text] of row.spans) {
      if (begin > this.end || end < this.begin) continue;
      const left = this.x(begin), right = this.x(end), style = isRight ? "" : "miss";
      const caps = (begin >= this.begin ? `M${left} ${y + 18}v10` : "") + (end <= this.end ? `M${right} ${y + 18}v10` : "");
      parts.push(drawn("path", { class: style, d: `${caps}M${left} ${y + 23}H${right}` }));
      if (right - left > 7 * text.length || !isRight || row.spans.length === 1)
        parts.push(drawn("text", { x: Math.min(Math.max((left + right) / 2, begin_ + 24), width - margin - 24), y: y + 14, "text-anchor": "middle", class: isRight ? "small" : "small bad" }, text));
    }
    return parts;
  }

  rule([text, broken], y) {
    const end = broken === null ? this.end : Math.min(Math.max(broken, this.begin), this.end), x = this.x(end);
    const { left, width, right, plot, above } = this.size, parts = [this.label("rule", y, "group")];
    y += above;
    parts.push(drawn("text", { x: left + 4, y: y + 16, class: broken === null ? "small" : "small bad" }, cut(text, Math.floor(plot / 6))),
      drawn("path", { class: "rule", d: `M${left} ${y + 25}H${x}` }));
    if (broken !== null) {
      parts.push(drawn("path", { class: "gone", d: `M${x} ${y + 25}H${width - right}` }));
      if (broken >= this.begin && broken <= this.end) parts.push(drawn("path", { class: "miss", d: `M${x - 5} ${y + 20}l10 10m0 -10l-10 10` }));
    }
    return parts;
  }

  // --- the pointer ---

  time(event) {
    const box = this.svg.getBoundingClientRect(), x = (event.clientX - box.left) * this.size.width / box.width;
    return this.begin + (this.end - this.begin) * Math.min(Math.max((x - this.size.left) / this.size.plot, 0), 1);
  }

  grab(event) {
    this.from = this.time(event);
    this.svg.setPointerCapture(event.pointerId);
  }

  point(event) {
    if (event === null) { this.mark(null); return; }
    const time = this.time(event);
    this.mark(time);
    if (this.from !== undefined && event.buttons)
      this.chosen.setAttribute("d", `M${this.x(this.from)} ${TOP}H${this.x(time)}V${this.bottom}H${this.x(this.from)}Z`);
  }

  drop(event) {
    const from = this.from, to = this.time(event);
    this.from = undefined;
    if (from !== undefined && Math.abs(this.x(from) - this.x(to)) > 6) this.look(Math.min(from, to), Math.max(from, to));
    else this.chosen.setAttribute("d", "");
  }

  // Put the cursor at a time, with the values of all lanes there; null takes it away.
  mark(time) {
    if (time !== null) time = Math.floor(time / this.found.tick) * this.found.tick;
    this.cursor.setAttribute("d", time === null ? "" : `M${this.x(time)} ${TOP}V${this.bottom}`);
    this.where.textContent = time === null ? "" : shownTime(time);
    for (const [lane, side, rest] of this.values) {
      if (time === null) rest();
      else this.say(side, shownValue(lane, upTo(lane.times, time) - 1));
    }
  }
}

function spans(lines) {
  const made = element("pre");
  for (const line of lines) {
    for (const [text, role] of line) made.append(role ? element("span", { className: role, textContent: text }) : text);
    made.append("\n");
  }
  return made;
}

function table(heads, rows, style = "") {
  return element("div", { className: "scroll" }, element("table", { className: style },
    element("thead", {}, element("tr", {}, ...heads.map((head) => element("th", { scope: "col", textContent: head })))),
    element("tbody", {}, ...rows)));
}

function row(cells) {
  return element("tr", {}, ...cells.map((cell) => element("td", { textContent: cell })));
}

// All of a case, below its line.
function inside(found) {
  const made = element("div", { className: "inner" });
  made.append(element("p", { className: "dim", textContent: `${found.file}:${found.line}` + (found.scans ? `, ${found.scans.toLocaleString("en")} scans, ${shownTime(found.end)}` : "") }));
  if (found.text.length) made.append(spans(found.text));
  if (found.why && found.why.length)
    made.append(element("details", { className: "why" }, element("summary", { textContent: "Why" }), spans(found.why)));
  if (!found.lanes) return made;
  if (found.lanes.length && found.end) {
    const diagram = new Diagram(found);
    made.diagram = diagram;
    made.append(diagram.tools(), diagram.svg);
  }
  if (found.timing.length) {
    made.append(element("h2", { textContent: "Times" }));
    made.append(table(["row", "limits", "events", "answered", "shortest", "median", "longest"], found.timing.map(row), "words"));
  }
  if (found.table) {
    made.append(element("h2", { textContent: "Table" }));
    const rows = found.table.rows.map((cells, line) => {
      const one = row(cells);
      for (const [column, text] of found.table.misses[line] || []) {
        one.children[column].className = "miss";
        one.children[column].append(` (is ${text})`);
      }
      return one;
    });
    made.append(table(found.table.heads, rows, found.table.heads.length > MOST_ACROSS ? "many" : ""));
    if (found.table.left) made.append(element("p", { className: "dim", textContent: `${found.table.left.toLocaleString("en")} rows are not shown.` }));
  }
  const log = events(found);
  if (log.length) {
    const listed = element("details", {}, element("summary", { textContent: `Rises and falls: ${log.length.toLocaleString("en")}` }));
    listed.addEventListener("toggle", () => {
      if (listed.open && listed.children.length === 1) {
        listed.append(table(["at", "signal", "edge", "no."], log.slice(0, MOST_EVENTS).map(([time, path, edge, count]) => row([shownTime(time), path, edge, count]))));
        if (log.length > MOST_EVENTS) listed.append(element("p", { className: "dim", textContent: `The first ${MOST_EVENTS}.` }));
      }
    });
    made.append(listed);
  }
  return made;
}

function entry(found) {
  const [word, style] = STATES[found.status];
  const time = found.end ? shownTime(found.end) : "";
  const head = element("button", { type: "button" }, element("span", { className: style, textContent: word }), element("span", { className: "block", textContent: found.block }),
    element("span", { textContent: found.name }), element("span", { className: "dim", textContent: time }));
  head.setAttribute("aria-expanded", "false");
  const made = element("article", {}, head);
  made.found = found;
  made.open = (is = true) => {
    if (is === made.is()) return;
    head.setAttribute("aria-expanded", String(is));
    if (!is) made.lastChild.remove();
    else made.append(inside(found));
  };
  made.is = () => head.getAttribute("aria-expanded") === "true";
  head.addEventListener("click", () => made.open(!made.is()));
  return made;
}

const MARKS = { "\u25cf": "good", "\u25d0": "warn", "\u25cb": "bad" };

// What of each unit was reached, with its text below it.
function covered(coverage) {
  const share = ([reached, known]) => known ? `${reached} of ${known}  ${Math.floor(100 * reached / known)}%` : "";
  const missing = [];
  const rows = coverage.units.map((unit) => {
    const head = element("button", { type: "button", textContent: unit.name });
    head.setAttribute("aria-expanded", "false");
    const one = row([null, unit.cases, ...unit.counts.map(share)].map((text) => text === null ? "" : text));
    one.firstChild.append(head);
    const open = () => {
      const is = head.getAttribute("aria-expanded") === "true";
      head.setAttribute("aria-expanded", String(!is));
      if (is) { one.nextSibling.remove(); return; }
      const text = element("pre", { textContent: `${unit.file}\n` });
      for (const [line, mark, source, lacks] of unit.lines) {
        text.append(element("span", { className: "dim", textContent: String(line).padStart(5) + " " }));
        text.append(element("span", { className: MARKS[mark] || "", textContent: mark }), ` ${source}`);
        if (lacks) text.append(element("span", { className: MARKS[mark], textContent: `   ${lacks}` }));
        text.append("\n");
      }
      one.after(element("tr", {}, element("td", { className: "source", colSpan: 2 + coverage.heads.length }, text)));
    };
    head.addEventListener("click", open);
    if (unit.lines.some((line) => line[3])) missing.push(open);
    return one;
  });
  const section = document.getElementById("coverage");
  section.append(element("h2", { textContent: "Coverage" }), table(["unit", "cases", ...coverage.heads], rows));
  section.hidden = false;
  return () => { if (!section.querySelector("pre")) missing.forEach((open) => open()); };
}

function begin(data) {
  const articles = data.cases.map(entry), main = document.getElementById("cases");
  document.getElementById("title").textContent = `${data.stamp.library} ${data.stamp.version}`.trim();
  document.getElementById("verdict").textContent = data.verdict;
  document.getElementById("stamp").textContent = `Upright ${data.stamp.upright}, ${data.stamp.time}, content ${data.stamp.digest}`;
  // What is wrong stands first.
  main.replaceChildren(...articles.filter((article) => article.found.status !== "passed"), ...articles.filter((article) => article.found.status === "passed"));
  articles.splice(0, articles.length, ...main.children);
  const openMissing = data.coverage ? covered(data.coverage) : () => undefined;
  const words = document.getElementById("words"), boxes = {};
  for (const [status, [word, style]] of Object.entries(STATES)) {
    const count = data.cases.filter((found) => found.status === status).length;
    if (!count) continue;
    boxes[status] = element("input", { type: "checkbox", checked: true, onchange: choose });
    document.getElementById("kinds").append(element("label", {}, boxes[status], " ", element("span", { className: style, textContent: word }), ` ${count.toLocaleString("en")}`));
  }
  function choose() {
    const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
    let count = 0;
    for (const article of articles) {
      article.hidden = !(boxes[article.found.status].checked && fits(article.found, wanted, data.inside[article.found.block]));
      count += !article.hidden;
    }
    document.getElementById("count").textContent = count === articles.length ? "" : `${count.toLocaleString("en")} shown`;
  }
  words.addEventListener("input", choose);
  document.getElementById("chooser").addEventListener("submit", (event) => event.preventDefault());
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.target === words) { if (event.key === "Escape") { words.value = ""; choose(); words.blur(); } return; }
    if (event.key === "/") { event.preventDefault(); words.focus(); return; }
    const own = event.target.closest ? event.target.closest("article") : null;
    if (event.key === "j" || event.key === "k") {
      const shown = articles.filter((article) => !article.hidden), place = shown.indexOf(own);
      const next = shown[event.key === "j" ? place + 1 : Math.max(place - 1, 0)];
      if (next) next.firstChild.focus();
      return;
    }
    if (event.key === "o") {
      const shown = articles.filter((article) => !article.hidden), is = !shown.slice(0, MOST_OPENED).every((article) => article.is());
      for (const article of is ? shown.slice(0, MOST_OPENED) : articles) article.open(is);
      if (is && shown.length > MOST_OPENED) document.getElementById("count").textContent = `The first ${MOST_OPENED} are open.`;
      return;
    }
    const diagram = own && own.lastChild.diagram;
    if (diagram && diagram.act(event.key)) event.preventDefault();
  });
  window.addEventListener("beforeprint", () => {
    for (const article of articles) if (article.found.status !== "passed" && !article.hidden) article.open();
    for (const details of main.querySelectorAll("details.why")) details.open = true;
    openMissing();
    for (const article of articles) if (article.is() && article.lastChild.diagram) article.lastChild.diagram.fit(PRINTED);
  });
  const asked = decodeURIComponent(location.hash.slice(1));
  const first = articles.find((article) => asked ? article.found.id === asked : ["failed", "fault"].includes(article.found.status));
  if (first) { first.open(); if (asked) first.scrollIntoView(); }
}

if (typeof document !== "undefined") begin(JSON.parse(document.getElementById("data").textContent));
