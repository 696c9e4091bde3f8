// Pages are not typed: what an element is, its behaviour says. What is checked is our own: stores, queues, edits, messages.
interface EventTarget {
  [key: string]: any;
}
interface Element {
  [key: string]: any;
}
interface Node {
  [key: string]: any;
}
interface Window {
  Sortable: any;
}
