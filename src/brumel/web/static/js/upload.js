// A photo is made smaller on the device before it is sent; what can't be sent says so where it was chosen, and nothing
// that was typed or chosen is lost.
const LONGEST = 2048, QUALITY = 0.85, SMALL = 800_000;

const size = (bytes) => bytes < 1e6 ? `${Math.ceil(bytes / 1e3)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

// The picture upright, its longest side at most 2048 pixels; as it is where it is small, or can't be read here.
const smaller = async (file) => {
  if (!file.type.startsWith("image/") || (file.type === "image/jpeg" && file.size <= SMALL)) return file;
  try {
    const picture = await createImageBitmap(file, { imageOrientation: "from-image" });
    const scale = Math.min(1, LONGEST / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    canvas.width = Math.round(picture.width * scale);
    canvas.height = Math.round(picture.height * scale);
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    picture.close();
    const made = await new Promise((done) => canvas.toBlob(done, "image/jpeg", QUALITY));
    return made && made.size < file.size ? new File([made], "photo.jpg", { type: "image/jpeg" }) : file;
  } catch {
    return file;  // the server reads more kinds than some browsers
  }
};

// What a page that refuses says, in the words of its fields.
const refusal = (html) => {
  const page = new DOMParser().parseFromString(html, "text/html");
  const said = page.querySelectorAll(".field-error, [role=alert], .error-words");
  return [...said].map((part) => part.textContent.trim()).filter(Boolean).join(" ");
};

class Upload {
  constructor(input) {
    this.input = input;
    this.form = input.form;
    this.told = document.getElementById(`${input.id}-told`);
    this.most = Number(input.dataset.most);
    this.ready = Promise.resolve(null);
    input.addEventListener("change", () => { this.ready = this.prepare(); });
    this.form.addEventListener("submit", (event) => this.submit(event));
  }

  say(words, wrong = false) {
    this.told.textContent = words;
    this.told.hidden = !words;
    this.told.classList.toggle("field-error", wrong);
    this.told.classList.toggle("hint", !wrong);
    if (wrong) this.input.setAttribute("aria-invalid", "true");
    else this.input.removeAttribute("aria-invalid");
  }

  // What will be sent in place of what was chosen.
  async prepare() {
    const chosen = this.input.files[0];
    if (!chosen) { this.say(""); return null; }
    this.say("Making it smaller…");
    const made = await smaller(chosen);
    if (this.input.files[0] !== chosen) return null;  // another was chosen meanwhile
    if (made.size > this.most) this.tooLarge(made);
    else this.say(made === chosen ? `${size(made.size)}.` : `${size(chosen.size)}, sent as ${size(made.size)}.`);
    return made;
  }

  tooLarge(file) {
    this.say(`This file has ${size(file.size)}; up to ${size(this.most)} can be kept. Choose a smaller one: `
      + "what you typed stays here.", true);
  }

  async submit(event) {
    if (!this.input.files.length) return;  // without a file it is a form like any other
    event.preventDefault();
    if (this.sending) return;
    this.sending = true;
    try {
      await this.send(event.submitter);
    } finally {
      this.sending = false;
    }
  }

  async send(button) {
    const made = await this.ready;
    if (made && made.size > this.most) { this.tooLarge(made); return; }
    const body = new FormData(this.form, button);
    if (made) body.set(this.input.name, made, made.name);
    this.say(made ? `Sending ${size(made.size)}…` : "Sending…");
    let answer, text;
    try {
      answer = await fetch(this.form.action, { method: "POST", body });
      text = await answer.text();
    } catch {
      this.say("The connection to Brumel is lost. What you typed and chose is still here: send it again.", true);
      return;
    }
    const led = new URL(answer.url);
    if (led.pathname.startsWith("/sign-in")) {
      this.say("You are signed out: sign in again in another tab, then send it again. It is still here.", true);
    } else if (answer.ok) {
      this.say("Saved.");
      if (led.href.split("#")[0] === location.href.split("#")[0]) location.reload();
      else location.assign(led.href);
    } else {
      this.say(refusal(text) || `It was not taken (${answer.status}). What you typed and chose is still here.`, true);
    }
  }
}

document.querySelectorAll("input[data-upload]").forEach((input) => new Upload(input));
