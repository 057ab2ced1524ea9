// Asks the server for the answer at every keystroke; only the newest question's answer is shown.
const form = document.querySelector("[data-reckon]");
const answer = document.querySelector("[data-answer]");
const working = document.querySelector("[data-working]");
let asking = null;

const query = () => {
  const typed = new URLSearchParams();
  for (const [name, value] of new FormData(form)) if (value.trim()) typed.set(name, value);
  return typed.toString();
};

const show = (found) => {
  answer.innerHTML = found.answer;
  working.innerHTML = found.working;
  for (const place of form.querySelectorAll("[data-error-for]")) {
    const words = found.errors[place.dataset.errorFor] ?? "";
    place.textContent = words;
    const field = form.elements[place.dataset.errorFor];
    if (field instanceof Element) field.toggleAttribute("aria-invalid", false);
    if (words && field instanceof Element) field.setAttribute("aria-invalid", "true");
  }
};

const ask = async () => {
  asking?.abort();
  asking = new AbortController();
  const typed = query();
  history.replaceState(null, "", typed ? `?${typed}` : location.pathname);
  try {
    const reply = await fetch(`${form.dataset.reckon}?${typed}`, { signal: asking.signal, headers: { Accept: "application/json" } });
    if (!reply.ok) throw new Error(reply.status);
    show(await reply.json());
    answer.dataset.answered = typed;
  } catch (error) {
    if (error.name !== "AbortError") answer.innerHTML = '<p class="trouble">No connection to Brumel: what you typed is kept; go on typing to try again.</p>';
  }
};

// Another site or probe: what was taken from the one before is taken anew, what was typed stays.
const take = (event) => {
  const typed = new URLSearchParams(query());
  for (const name of form.dataset.known.split(" ")) typed.delete(name);
  if (!event.target.value) typed.delete(event.target.name);
  location.search = typed;
};

form.addEventListener("input", (event) => { if (!event.target.matches("[data-take]")) ask(); });
for (const field of form.querySelectorAll("[data-take]")) field.addEventListener("change", take);
form.addEventListener("submit", (event) => { event.preventDefault(); delete form.dataset.sent; ask(); });
form.querySelector(".ask :is(input, select)")?.focus();
// What was typed before this came is answered too.
if ([...form.querySelectorAll("input")].some((field) => field.value !== field.defaultValue)) ask();
