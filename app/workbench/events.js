// The long connection on which a window learns that others have edited. Only a window that is seen keeps it: a browser
// opens few connections to one server, and many windows share them.

// States of the connection.
export const CLOSED = "closed"; // the window is hidden
export const OPENING = "opening";
export const OPEN = "open";
export const FAILED = "failed"; // the browser tries again, or open does

export class Events {
  // told is called with each revision, and whether the connection had failed before it; changed when the state changes.
  // here is called with who else has the quiz open, in words.
  /**
   * @param {{address: string, told: (revision: number, again: boolean) => void, changed: () => void, here?: (words: string) => void, Source?: any}} how
   */
  constructor({ address, told, changed, here = (_) => {}, Source = globalThis.EventSource }) {
    this.address = address;
    this.told = told;
    this.changed = changed;
    this.here = here;
    this.Source = Source;
    this.source = null;
    this.state = CLOSED;
  }

  open() {
    if (this.source) return;
    const source = (this.source = new this.Source(this.address));
    if (this.state === CLOSED) this.state = OPENING;
    source.onmessage = (event) => {
      if (source !== this.source) return;
      const again = this.state === FAILED;
      this.state = OPEN;
      this.changed();
      this.told(Number(event.data), again);
    };
    source.addEventListener?.("here", (event) => source === this.source && this.here(JSON.parse(event.data)));
    source.onerror = () => {
      if (source !== this.source) return;
      this.state = FAILED;
      if (source.readyState === this.Source.CLOSED) this.source = null; // it will not try again by itself
      this.changed();
    };
  }

  close() {
    this.source?.close();
    this.source = null;
    this.state = CLOSED;
  }
}
