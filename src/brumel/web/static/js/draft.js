// What is typed at the water or at the bench stays on this device until the server has it: a lost connection loses nothing.
// The keys of the records are kept with it, so that sending again after a lost answer makes no second one.
const form = document.querySelector("form[data-draft]");
const told = form.querySelector("[data-kept]");
const name = form.dataset.draft;
const store = window.localStorage;

const keep = () => {
  const found = [...new FormData(form)].filter(([field]) => field !== "csrf_token");
  store.setItem(name, JSON.stringify(found));
};

const restore = (fields) => {
  for (const [field, value] of fields) {
    const element = form.elements.namedItem(field);
    if (element) element.value = value;
  }
};

const say = (words) => {
  told.textContent = words;
  told.hidden = !words;
};

if (form.dataset.saved) {
  store.removeItem(name);
} else if (!form.dataset.refused) {
  const kept = store.getItem(name);
  if (kept) {
    restore(JSON.parse(kept));
    say("What was typed before is still here. It is not saved yet.");
    for (const part of form.querySelectorAll("details")) {
      if ([...part.querySelectorAll("input:not([type=hidden]):not([type=radio])")].some((i) => i.value)) part.open = true;
    }
  }
}

form.addEventListener("input", keep);
form.addEventListener("submit", (event) => {
  keep();
  if (!navigator.onLine) {
    event.preventDefault();
    say("There is no connection. What you typed stays here: save again when there is one.");
  }
});
