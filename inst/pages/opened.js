// A dialog in which pictures are looked at side by side or wiped, on pages that have one. Pictures
// are `reference`, `one` and `other`, as far as the page has them; `pairs` are those that can be
// wiped, the lower one first. `step(by)` goes to another take, `closed()` is called afterwards.
pages.Opened = class {
  constructor({ pairs, step, closed }) {
    const { by, View, Wipe } = pages;
    this.all_pairs = pairs;
    this.step = step;
    this.pictures = {};
    this.pair = -1;
    this.view = new View({
      pictures: ".pane img, #wiped img",
      surface: ".pane, #wiped",
      moved: () => this.wipe.slide(),
    });
    this.wipe = new Wipe(this.view);
    by("earlier").addEventListener("click", () => step(-1));
    by("later").addEventListener("click", () => step(1));
    by("nearer").addEventListener("click", () => this.view.zoom(1.5));
    by("further").addEventListener("click", () => this.view.zoom(1 / 1.5));
    by("whole").addEventListener("click", () => this.view.whole());
    by("wiping").addEventListener("click", () => this.set_pair(this.pair >= 0 ? -1 : 0));
    if (by("next-wipe"))
      by("next-wipe").addEventListener("click", () => this.set_pair(this.pair + 1));
    by("close").addEventListener("click", () => by("compare").close());
    by("compare").addEventListener("close", closed);
    document.addEventListener("keydown", (event) => this.press(event));
    document.addEventListener("keyup", (event) => {
      if (event.key.toLowerCase() === "r") this.hold_reference(false);
    });
  }
  get is_open() {
    return pages.by("compare").open;
  }
  // Shows pictures, each as { src, name }; those that there are none of are left out.
  show({ title, words, pictures, is_first, is_last }) {
    const { by } = pages;
    this.pictures = pictures;
    by("compare-title").textContent = title;
    by("compare-words").textContent = words;
    for (const id of ["reference", "one", "other"]) {
      const frame = by("frame-" + id);
      if (!frame) continue;
      frame.hidden = !pictures[id];
      if (pictures[id]) by("picture-" + id).src = pictures[id].src;
    }
    by("earlier").disabled = is_first;
    by("later").disabled = is_last;
    this.pairs = this.all_pairs.filter((pair) => pair.every((id) => pictures[id]));
    by("wiping").disabled = this.pairs.length === 0;
    this.set_pair(this.pair);
    if (this.is_open) return;
    this.view.whole();
    by("compare").showModal();
  }
  set_pair(which) {
    const { by } = pages;
    const on = which >= 0 && this.pairs.length > 0;
    this.pair = on ? which % this.pairs.length : -1;
    by("wipe").hidden = !on;
    by("stage").hidden = on;
    by("wiping").setAttribute("aria-pressed", on);
    if (by("next-wipe")) by("next-wipe").disabled = !on || this.pairs.length < 2;
    if (on) this.wipe.show(...this.pairs[this.pair].map((id) => this.pictures[id]));
  }
  hold_reference(on) {
    if (!this.is_open || !this.pictures.reference) return;
    for (const id of ["one", "other"])
      if (this.pictures[id])
        pages.by("picture-" + id).src = this.pictures[on ? "reference" : id].src;
  }
  press(event) {
    if (!this.is_open || pages.with_modifier(event) || event.repeat) return;
    if (pages.arrow_at(event)) return;
    const { by } = pages;
    const keys = {
      ...this.view.keys(),
      ArrowLeft: () => by("earlier").click(),
      ArrowRight: () => by("later").click(),
      w: () => by("wiping").click(),
      e: () => by("next-wipe")?.click(),
      r: () => this.hold_reference(true),
    };
    const key = pages.plain_key(event);
    if (!keys[key]) return;
    event.preventDefault();
    keys[key]();
  }
};
