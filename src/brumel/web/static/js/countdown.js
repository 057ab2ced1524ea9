// A step that takes some seconds: counted down from when it is shown, once more on request.
document.querySelectorAll("[data-countdown]").forEach((timer) => {
  const face = timer.querySelector("b"), said = timer.querySelector("[role=status]");
  const again = timer.querySelector("button");
  const whole = Number(timer.dataset.countdown);
  let ends = 0, ticking = 0;

  const tick = () => {
    const left = Math.max(0, Math.ceil((ends - performance.now()) / 1000));
    face.textContent = `${left} s`;
    timer.style.setProperty("--left", left / whole);
    if (left > 0) return;
    clearInterval(ticking);
    timer.classList.add("over");
    said.textContent = `${whole} s are over.`;
    again.hidden = false;
  };
  const start = () => {
    clearInterval(ticking);
    ends = performance.now() + whole * 1000;
    timer.classList.remove("over");
    said.textContent = "";
    again.hidden = true;
    ticking = setInterval(tick, 200);
    tick();
  };
  again.addEventListener("click", start);
  start();
});
