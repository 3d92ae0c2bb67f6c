import { cleanup } from "@testing-library/react";
import { afterEach, vi } from "vitest";

// What a browser has and this document does not: Mantine asks for them when a component is drawn.
window.matchMedia = (query) =>
  ({ matches: false, media: query, addEventListener: () => {}, removeEventListener: () => {} }) as unknown as MediaQueryList;
window.ResizeObserver = class {
  observe() {}
  unobserve() {}
  disconnect() {}
};
Element.prototype.scrollIntoView = () => {};
Element.prototype.scrollTo = () => {};

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});
