// Draws a probe's live samples. Whether they are stable is judged by the server; this only shows it.
const LEFT = 62, TOP = 18, SHOWN_S = 90, SHOWN_EVERY_MS = 150;
const SVG = "http://www.w3.org/2000/svg";

const element = (name, attributes, text) => {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (text !== undefined) made.textContent = text;
  return made;
};
const signed = (value, digits, plus) => {  // zero has no sign
  const words = Math.abs(value).toFixed(digits);
  return (Number(words) === 0 ? "" : value < 0 ? "−" : plus ? "+" : "") + words;
};

class Live {
  constructor(box) {
    this.box = box;
    this.digits = Number(box.dataset.digits);
    this.unit = box.dataset.unit;
    this.plus = this.unit === "mV";
    this.rawPlus = this.box.dataset.rawUnit === "mV";
    this.gap = Number(box.dataset.gap);
    this.times = [];
    this.values = [];
    this.judgement = null;
    this.announced = "";
    this.drawnAt = 0;
    this.plot = box.querySelector("[data-plot]");
    this.part = (name) => box.querySelector(`[data-${name}]`);
    this.look = document.querySelector("[data-look]");
    this.button = document.querySelector("[data-when-stable]");
    this.reason = document.querySelector("[data-unsettled]");
    this.reason?.addEventListener("input", () => this.allow());
    this.button?.addEventListener("click", (event) => this.askWhy(event));
    new ResizeObserver(() => this.draw()).observe(this.plot);  // turned, it keeps its proportions before the next sample
    this.allow();
  }

  begin(trace) {
    this.times = trace.t;
    this.values = trace.y;
    if (this.times.length) this.trouble({ status: "ok" });
    this.judged(trace);
    if (trace.c.length) this.show({ y: trace.y.at(-1), c: trace.c.at(-1) });
    this.draw();
  }

  add(sample) {
    if (sample.t <= this.times.at(-1)) return;
    this.times.push(sample.t);
    this.values.push(sample.y);
    if (this.stopped) this.trouble({ status: "ok" });
    this.newest = sample;
    if (this.waiting) return;
    this.waiting = true;
    const wait = Math.max(0, SHOWN_EVERY_MS - (performance.now() - this.drawnAt));
    setTimeout(() => requestAnimationFrame(() => this.showNewest()), wait);
  }

  // A line faster than the eye is shown no faster than it.
  showNewest() {
    this.waiting = false;
    if (this.stopped) return;
    this.judged(this.newest);
    this.show(this.newest);
    this.draw();
    this.measure(this.newest.at);
  }

  // How long after the probe was read its sample is on the screen: two frames on, it has been painted.
  measure(readAt) {
    requestAnimationFrame(() => requestAnimationFrame(() => {
      this.box.dataset.drawnAfter = String(Date.now() / 1000 - readAt);
    }));
  }

  show(sample) {
    if (sample.y !== null) this.part("value").textContent = signed(sample.y, this.digits, this.plus);
    this.part("temperature").textContent = signed(sample.c, 1);
    if (sample.raw !== undefined && this.part("raw")) this.part("raw").textContent = signed(sample.raw, 1, this.rawPlus);
  }

  judged(event) {
    const now = event.judgement;
    this.judgement = now;
    this.seen = event.seen;
    this.box.classList.toggle("is-stable", now.state === "stable");
    this.box.dataset.settling = now.state;
    this.part("state").textContent = now.words;
    this.part("left").textContent = this.left(now);
    if (this.look && event.look) {
      this.look.textContent = event.look.words;
      this.look.className = event.look.unlike ? "trouble" : "soft small";
    }
    // Announce only what changes what to do.
    if (now.state !== this.announced && now.state !== "starting") {
      this.announced = now.state;
      this.part("announce").textContent =
        now.state === "stable" ? `Stable at ${signed(now.value, this.digits)} ${this.unit}` : now.words;
    }
    this.allow();
  }

  left(now) {
    if (now.state !== "settling" || now.remaining === null) return "";
    const high = now.remaining_high, low = now.remaining_low;
    if (high === null) return `${low} s left or more`;
    return `${now.remaining} s left${high - low > 2 ? `, ${low} to ${high}` : ""}`;
  }

  trouble(device) {
    const line = this.part("trouble");
    const fine = device.status === "ok";
    this.stopped = !fine && device.status !== "slow";
    line.hidden = fine;
    this.box.classList.toggle("is-trouble", !fine);
    if (!fine && line.textContent !== device.words) {
      line.textContent = device.words;
      this.part("announce").textContent = device.words;
    }
    if (this.stopped) {  // what was stable before says nothing about now; the next sample will
      this.box.dataset.settling = "stopped";
      this.part("state").textContent = "Stopped.";
      this.part("left").textContent = "";
      this.announced = "";
      this.allow();
    }
  }

  allow() {
    if (!this.button) return;
    const stable = this.judgement?.state === "stable" && !this.stopped;
    this.early = !stable && !this.reason?.value.trim();
    this.button.disabled = this.early && !this.reason;
    this.button.setAttribute("aria-disabled", this.early);
  }

  // Pressed before it is stable, it says what that means, and asks for the reason.
  askWhy(event) {
    if (!this.early) return;
    event.preventDefault();
    const around = this.reason.closest("details");
    if (around) around.open = true;
    this.reason.focus();
    const words = document.querySelector("[data-early]");
    if (words) words.hidden = false;
  }

  // The tunnel: where the trace may still be at each time, closing on the span that the rule allows.
  draw() {
    this.drawnAt = performance.now();
    const { approach, band, state } = this.judgement ?? {};
    const end = this.times.at(-1);
    const RIGHT = this.plot.clientWidth - 8, HEIGHT = this.plot.clientHeight, BOTTOM = HEIGHT - 24;
    this.plot.setAttribute("viewBox", `0 0 ${this.plot.clientWidth} ${HEIGHT}`);
    this.plot.replaceChildren();
    if (end === undefined || !band) return;
    const start = this.times[0], from = Math.max(end - SHOWN_S, start - 2), until = Math.max(end, from + 20) + 6;
    const centre = (band[0] + band[1]) / 2, half = (band[1] - band[0]) / 2;
    const recent = this.values.filter((v, i) => v !== null && this.times[i] > end - 15);
    const reach = Math.max(5 * half, 1.25 * Math.max(...recent.map((v) => Math.abs(v - centre))));
    const x = (t) => LEFT + (t - from) / (until - from) * (RIGHT - LEFT);
    const y = (v) => Math.min(Math.max(TOP + (centre + reach - v) / (2 * reach) * (BOTTOM - TOP), -400), 600);
    const parts = [];
    for (const value of [centre + reach * 0.8, centre, centre - reach * 0.8]) {
      parts.push(element("line", { class: "grid", x1: LEFT, x2: RIGHT, y1: y(value), y2: y(value) }));
      parts.push(element("text", { class: "axis", x: LEFT - 6, y: y(value) + 4, "text-anchor": "end" },
        signed(value, reach < 0.5 ? 2 : reach < 20 ? 1 : 0)));
    }
    if (this.unit) parts.push(element("text", { class: "axis", x: LEFT - 6, y: 11, "text-anchor": "end" }, this.unit));
    const width = (t) => approach && state === "settling"
      ? half + Math.abs(approach[1]) * Math.exp(-(t - start) / approach[2]) : half;
    const steps = Array.from({ length: 41 }, (_, i) => from + (until - from) * i / 40);
    const upper = steps.map((t) => `${x(t).toFixed(1)},${y(centre + width(t)).toFixed(1)}`);
    const lower = steps.map((t) => `${x(t).toFixed(1)},${y(centre - width(t)).toFixed(1)}`);
    parts.push(element("polygon", { class: "tunnel", points: [...upper, ...lower.toReversed()].join(" ") }));
    parts.push(element("polyline", { class: "tunnel-edge", points: upper.join(" ") }));
    parts.push(element("polyline", { class: "tunnel-edge", points: lower.join(" ") }));
    for (const run of this.runs(from)) {
      parts.push(element("polyline", { class: "trace",
        points: run.map((i) => `${x(this.times[i]).toFixed(1)},${y(this.values[i]).toFixed(1)}`).join(" ") }));
    }
    const last = this.values.at(-1);
    if (last !== null) parts.push(element("circle", { class: "tip", cx: x(end), cy: y(last), r: 5 }));
    for (let t = Math.ceil((from - start) / 15) * 15; start + t < until; t += 15) {
      const atEdge = x(start + t) > RIGHT - 12;
      parts.push(element("text", { class: "axis", x: atEdge ? RIGHT + 4 : x(start + t), y: HEIGHT - 6,
        "text-anchor": atEdge ? "end" : "middle" }, `${t} s`));
    }
    this.plot.append(...parts);
  }

  // Stretches of the trace without a gap.
  runs(from) {
    const found = [];
    let run = [];
    this.times.forEach((t, i) => {
      if (t < from || this.values[i] === null) return;
      if (run.length && t - this.times[run.at(-1)] > this.gap) { found.push(run); run = []; }
      run.push(i);
    });
    if (run.length) found.push(run);
    return found;
  }
}

// One stream a page, however many probes it shows: a browser keeps few connections to one server, and several streams
// would leave none for the form.
const lives = [...document.querySelectorAll("[data-live]")].map((box) => new Live(box));

const follow = () => {
  const [first, ...others] = lives.map((live) => live.box.dataset.url);
  const source = new EventSource([first, ...others.map((url) => `also=${encodeURIComponent(url)}`)].join("&"));
  const on = (name, act) => source.addEventListener(name, (event) => {
    const data = JSON.parse(event.data);
    act(lives[data.of], data);
  });
  const all = (status, words) => lives.forEach((live) => live.trouble({ status, words }));
  on("trace", (live, data) => live.begin(data));
  on("sample", (live, data) => live.add(data));
  on("trouble", (live, data) => live.trouble(data));
  on("closed", (live, data) => {  // the server will not go on: asking again by itself would only close another page
    source.close();
    all("closed", data.words);
  });
  source.addEventListener("error", () => all("lost", source.readyState === EventSource.CLOSED
    ? "Brumel refuses to go on with this probe: reload the page to see why. Nothing taken is lost."
    : "The connection to Brumel is lost; trying again. Nothing taken is lost."));
  // What was read on the screen as stable is what is taken, whatever comes while the form is on its way.
  document.addEventListener("formdata", ({ formData }) => lives.forEach((live) => {
    if (live.seen) formData.set(live.box.dataset.seen, live.seen);
  }));
  window.addEventListener("pagehide", () => source.close());
  document.addEventListener("submit", (event) => { if (!event.defaultPrevented) source.close(); });
};
if (lives.length) follow();
