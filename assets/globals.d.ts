// What the pages' own vendored scripts put in place.
declare const htmx: { ajax(verb: string, path: string, options: Record<string, unknown>): Promise<void> };
declare const Alpine: { data(name: string, make: () => Record<string, any> & ThisType<any>): void; mutateDom(act: () => void): void; initTree(element: Element): void; destroyTree(element: Element): void; cloneNode?: Function };
