// What pages load beside the modules, and the elements of our own templates: whoever asks for one by its id or a selector knows
// which kind it is, so the kinds of elements are one here. Misspelt names are found all the same.

interface HtmxPage {
  ajax(verb: string, path: string, context: { target: string; swap: string }): Promise<void>;
  process(element: Element): void;
  trigger(element: Element, event: string): void;
  createEventSource: (url: string) => unknown;
}
declare const htmx: HtmxPage;

interface OurElement {
  readonly dataset: DOMStringMap;
  readonly style: CSSStyleDeclaration;
  readonly elements: Record<string, any>;
  value: any;
  defaultValue: any;
  checked: boolean;
  disabled: boolean;
  hidden: any;
  href: string;
  open: boolean;
  files: FileList;
  content: DocumentFragment;
  form: HTMLFormElement;
  src: string;
  width: any;
  height: any;
  click(): void;
  focus(): void;
  getContext(kind: '2d'): CanvasRenderingContext2D;
}
interface Element extends OurElement {}
interface HTMLElement extends OurElement {}
interface EventTarget extends OurElement {
  id: string;
  closest(selector: string): Element | null;
  matches(selector: string): boolean;
  querySelector(selector: string): Element | null;
  querySelectorAll(selector: string): NodeListOf<Element>;
  setPointerCapture(pointer: number): void;
  getBoundingClientRect(): DOMRect;
}
interface Event {
  /** What htmx tells with its events. */
  readonly detail: any;
  readonly data: any;
}
