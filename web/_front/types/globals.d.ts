// What scripts find besides the browser's own: the libraries that pages load.
//
// Elements found by a selector count as any: the pages are written by the
// server, and a wrong guess at an element's kind would only be silenced by a
// cast. What is checked is the scripts themselves: names, arguments, results.
declare global {
  const htmx: {
    ajax(verb: string, path: string, context?: object): Promise<void>;
    process(elt: Element): void;
    trigger(elt: Element, event: string, detail?: object): void;
    config: Record<string, unknown>;
  };
  const Alpine: { data(name: string, make: (...args: any[]) => object): void; store(name: string, value?: object): any };

  interface Window { zarf: any }
  interface ParentNode {
    querySelector(selectors: string): any;
    querySelectorAll(selectors: string): NodeListOf<any>;
  }
  interface Document { getElementById(id: string): any }
  interface Element { closest(selectors: string): any }
  // what happens on a page happens to its elements
  interface Event { detail: any } // htmx's own events carry one
  interface EventTarget {
    closest: any; matches: any; hasAttribute: any; dataset: any;
    id: any; name: any; type: any; value: any; defaultValue: any; files: any;
  }
}
export {};
