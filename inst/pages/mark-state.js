// What has been marked on this page: for each case that was opened its marks as they were and as
// they are, its maps, and what can be taken back.
pages.Marks = class {
  constructor() {
    this.cases = new Map();
  }
  // A case as the server tells it.
  load(told) {
    const one = {
      about: told,
      now: structuredClone(told.marks),
      maps: new Map(),
      drawn: new Set(),
      settled: new Set(),
      done: [],
      undone: [],
    };
    one.now.watch.forEach((region, i) => {
      region.uid = "r" + i;
      region.was = region.name;
    });
    one.was = structuredClone(one.now);
    this.cases.set(told.at, one);
    return one;
  }

  // Changes marks, or a map by a patch, in one step that can be taken back.
  change(one, make) {
    const before = JSON.stringify(one.now);
    const patch = make() || null;
    const after = JSON.stringify(one.now);
    if (before === after && !patch) return;
    if (patch) one.drawn.add(patch.key);
    one.done.push({ before, after, patch });
    one.undone = [];
    this.forget(one);
  }
  // Patches are kept up to this many bytes.
  forget(one) {
    const size = (step) => (step.patch ? 2 * step.patch.after.length : 0);
    let bytes = one.done.reduce((sum, step) => sum + size(step), 0);
    while (bytes > 2e8 && one.done.length > 1) {
      const gone = one.done.shift();
      bytes -= size(gone);
      if (gone.patch) one.settled.add(gone.patch.key);
    }
  }
  undo(one) {
    const step = one.done.pop();
    if (!step) return;
    one.undone.push(step);
    this.apply(one, step, "before");
  }
  redo(one) {
    const step = one.undone.pop();
    if (!step) return;
    one.done.push(step);
    this.apply(one, step, "after");
  }
  apply(one, step, side) {
    one.now = JSON.parse(step[side]);
    if (step.patch) one.maps.get(step.patch.key).paste(step.patch.box, step.patch[side]);
  }

  // The parts of a case that are not as they were.
  changed(one) {
    const text = (marks, part) => JSON.stringify(marks[part] ?? null);
    return ["watch", "crop", "mask", "grow", "pose"].filter((part) => {
      if (text(one.now, part) !== text(one.was, part)) return true;
      if (part === "mask") return one.now.mask && this.is_drawn(one, "mask");
      return part === "watch" && one.now.watch.some((region) => this.is_drawn(one, region.uid));
    });
  }
  is_drawn(one, key) {
    if (one.settled.has(key)) return true;
    return one.done.some((step) => step.patch && step.patch.key === key);
  }
  all_changed() {
    return [...this.cases.values()].filter((one) => this.changed(one).length);
  }

  // What is proposed to the server.
  async told() {
    const marked = [];
    for (const one of this.all_changed()) {
      const parts = {};
      for (const part of this.changed(one)) parts[part] = await this.told_part(one, part);
      marked.push({ case: one.about.id, parts });
    }
    return marked;
  }
  async told_part(one, part) {
    if (part === "watch")
      return Promise.all(
        one.now.watch.map(async (region) => ({
          name: region.name,
          was: region.was,
          keep: region.keep,
          ...(region.drawn ? await this.told_map(one, region.uid) : { box: region.box }),
        })),
      );
    if (part === "mask" && one.now.mask) {
      const { boxes, drawn, ...rest } = one.now.mask;
      return { ...rest, ...(drawn ? await this.told_map(one, "mask") : { boxes }) };
    }
    return one.now[part] ?? null;
  }
  async told_map(one, key) {
    const map = one.drawn.has(key) && one.maps.get(key);
    return map ? { png: await map.png() } : {};
  }
};
