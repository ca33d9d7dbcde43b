// What happens on the page of a comparison of two runs: cards of the takes that have changed, and
// each of them in a dialog.
(function () {
  "use strict";
  const { by, make } = pages;
  const read = (id) => JSON.parse(by(id).textContent);
  const takes = read("takes");
  const pictures = read("pictures");
  const source = (picture) => "data:image/jpeg;base64," + picture;
  let at = 0;

  function pictures_of(i) {
    const reference = pictures.references[pictures.reference[i]];
    const found = { reference, one: pictures.old[i], other: pictures.new[i] };
    const names = { reference: "reference", one: "old", other: "new" };
    return Object.fromEntries(
      Object.entries(found)
        .filter(([, picture]) => picture)
        .map(([id, picture]) => [id, { src: source(picture), name: names[id] }]),
    );
  }
  const title_of = (take) => take.pipeline + ", " + take.case + ", seed " + take.seed;

  const opened = new pages.Opened({
    pairs: [
      ["one", "other"],
      ["reference", "one"],
      ["reference", "other"],
    ],
    step: (by) => open(at + by),
    closed: () => by("changed").children[at].querySelector("button").focus(),
  });
  function open(i) {
    if (!takes[i]) return;
    at = i;
    opened.show({
      title: title_of(takes[i]),
      words: takes[i].changes.join("; "),
      pictures: pictures_of(i),
      is_first: i === 0,
      is_last: i === takes.length - 1,
    });
  }
  function card(take, i) {
    const shown = pictures_of(i);
    const frame = (id, name) =>
      make(
        "span",
        { class: "frame" },
        shown[id]
          ? make("img", { src: shown[id].src, alt: name })
          : make("span", { class: "none", text: "not made" }),
        make("span", { class: "soft", text: name }),
      );
    const button = make(
      "button",
      { type: "button" },
      make(
        "span",
        { class: "pictures" },
        ...(shown.reference ? [frame("reference", "reference")] : []),
        frame("one", "old"),
        frame("other", "new"),
      ),
      make("b", { text: take.pipeline }),
      make("span", { class: "of-case", text: take.case + ", seed " + take.seed }),
      make("span", { text: take.changes.join("; ") }),
    );
    button.addEventListener("click", () => open(i));
    return make("li", {}, button);
  }
  by("changed").append(...takes.map(card));
})();
