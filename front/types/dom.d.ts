// What the scripts take for granted of the browser beyond its standard types.

/** Events that the scripts listen to happen to elements. */
interface EventTarget {
  closest(selector: string): any;
  matches(selector: string): boolean;
  dataset: DOMStringMap;
  value: any;
  checked: boolean;
  open: any;
  blur(): void;
}

/** Events of our own carry what they say in `detail`. */
interface Event {
  detail: any;
}

interface Element {
  blur(): void;
  click(): void;
  dataset: DOMStringMap;
}

interface HTMLElement {
  showModal(): void;
  close(): void;
}

interface Window {
  Alpine: any;
  showDirectoryPicker(asked: { mode: string }): Promise<any>;
}
