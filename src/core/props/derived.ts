import type { Model } from "./model.ts";

/** Models that were made of others, so that the same prop gives the same object; oldest forgotten first. */
export class Made {
  private readonly known = new Map<string, Model>();
  constructor(private readonly most: number) {}
  of(key: string, make: () => Model): Model {
    let model = this.known.get(key);
    if (!model) {
      model = make();
      if (this.known.size >= this.most) this.known.delete(this.known.keys().next().value!);
    } else this.known.delete(key);
    this.known.set(key, model);
    return model;
  }
}

const derived = new WeakMap<Model, Made>();

/** What was made of a model, by what was done to it. */
export const derivedOf = (model: Model): Made => {
  let made = derived.get(model);
  if (!made) derived.set(model, (made = new Made(24)));
  return made;
};
