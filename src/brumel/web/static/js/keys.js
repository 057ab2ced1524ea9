// Keys for the bench: a button with data-key is pressed by its letter, unless one is typing.
const typing = (element) =>
  element instanceof HTMLInputElement && !["checkbox", "radio", "submit", "button"].includes(element.type)
  || element instanceof HTMLTextAreaElement || element instanceof HTMLSelectElement;

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || typing(event.target)) return;
  const button = [...document.querySelectorAll("[data-key]")]
    .find((b) => b.dataset.key === event.key.toLowerCase() && !b.disabled && b.checkVisibility());
  if (button) {
    event.preventDefault();
    button.click();
  }
});

// What was refused is gone to, whatever folds around it; on a phone it may lie far down.
const refused = document.querySelector("[aria-invalid='true']") ?? document.querySelector(".field-error, .flash-error");
if (refused) {
  for (let around = refused.closest("details"); around; around = around.parentElement.closest("details")) around.open = true;
  refused.focus({ preventScroll: true });
  refused.scrollIntoView({ block: "center" });
}

// What a step asks is answered at once where all is so.
document.querySelectorAll("[data-all-so]").forEach((button) => button.addEventListener("click", () => {
  const boxes = button.closest("fieldset").querySelectorAll("[name=so]");
  boxes.forEach((box) => { box.checked = box.value !== "none"; });
}));

// A form is sent once; the server would not make a second record, but a second wait helps nobody.
document.addEventListener("submit", (event) => {
  if (event.defaultPrevented) return;
  if (event.target.dataset.sent) event.preventDefault();
  event.target.dataset.sent = "1";
});
window.addEventListener("pageshow", () => {
  for (const form of document.forms) delete form.dataset.sent;
});

// Daylight or dusk is changed where one stands: what is typed stays.
document.querySelector("form.light")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const [form, button] = [event.target, event.submitter];
  await fetch(form.action, { method: "POST", body: new FormData(form, button), redirect: "manual" });
  const dusk = button.value === "dusk";
  document.documentElement.dataset.bsTheme = dusk ? "dark" : "light";
  [button.value, button.textContent] = dusk ? ["day", "Daylight"] : ["dusk", "Dusk"];
});

// A list that is typed into changes with each letter: the page follows once the typing rests.
document.querySelectorAll("[data-submit-on-change]").forEach((element) => {
  let typed = -Infinity;
  let waiting;
  element.addEventListener("keydown", () => { typed = performance.now(); });
  element.addEventListener("change", () => {
    clearTimeout(waiting);
    waiting = setTimeout(() => element.form.requestSubmit(), performance.now() - typed < 1000 ? 700 : 0);
  });
});
