// A span of time is chosen by dragging over a picture; the server draws it anew.
const SVG = "http://www.w3.org/2000/svg";
const LEAST = 8;  // units of the drawing: less is a click

// As a field for date and time has it.
const moment = (localSeconds) => new Date(localSeconds * 1000).toISOString().slice(0, 16);

document.querySelectorAll("svg.spanned").forEach((figure) => {
  const { begin, end, left, right, offset } = Object.fromEntries(
    ["begin", "end", "left", "right", "offset"].map((name) => [name, Number(figure.dataset[name])]));
  const place = (event) => {
    const box = figure.getBoundingClientRect();
    const x = (event.clientX - box.left) / box.width * figure.viewBox.baseVal.width;
    return Math.min(Math.max(x, left), right);
  };
  const time = (x) => begin + (x - left) / (right - left) * (end - begin) + offset;
  let from = null, drawn = null;

  figure.addEventListener("pointerdown", (event) => {
    from = place(event);
    drawn = document.createElementNS(SVG, "rect");
    drawn.setAttribute("class", "dragged");
    drawn.setAttribute("height", figure.viewBox.baseVal.height);
    figure.append(drawn);
    figure.setPointerCapture(event.pointerId);
  });
  figure.addEventListener("pointermove", (event) => {
    if (from === null) return;
    const to = place(event);
    drawn.setAttribute("x", Math.min(from, to));
    drawn.setAttribute("width", Math.abs(to - from));
  });
  const stop = () => { drawn?.remove(); from = drawn = null; };
  figure.addEventListener("pointercancel", stop);
  figure.addEventListener("pointerup", (event) => {
    const ends = [from, place(event)].sort((a, b) => a - b);
    stop();
    if (ends[1] - ends[0] < LEAST) return;
    const chosen = new URLSearchParams({ since: moment(time(ends[0])), until: moment(time(ends[1])) });
    window.location.search = chosen.toString();
  });
});
