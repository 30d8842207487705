/** A scene of parts. */
export class Scene {
  constructor(name) {
    this.name = name;
    this.parts = [];
  }

  append(part) {
    this.parts.push(part);
    return this;
  }
}

Scene.Part = class Part {
  constructor(name) {
    this.name = name;
  }
};
