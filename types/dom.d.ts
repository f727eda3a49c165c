// The document as our scripts use it. A selector finds the element that the template has there; which kind of element that is,
// TypeScript can't know, so what is found may be used as any element is. Everything else stays checked.

interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface NonElementParentNode {
  getElementById(elementId: string): any;
}
interface Document {
  getElementById(elementId: string): any;
}
interface EventTarget {
  value: any;
  checked: any;
  files: any;
  elements: any;
  dataset: any;
  name: any;
  disabled: any;
  closest(selectors: string): any;
  matches(selectors: string): boolean;
}
interface Element {
  focusInput?(): void;
}
