/** The whole front end on a stand: real screens in a DOM, a server that answers with what a real one once answered. */
import { cleanup, configure, fireEvent, render, waitFor } from "@testing-library/react";
import { QueryClientProvider } from "@tanstack/react-query";
import { createMemoryRouter, RouterProvider } from "react-router";
import { vi } from "vitest";
import { queryClient, type Entry } from "../src/api/client";
import { routes } from "../src/app/routes";
import recorded from "./recorded.json";

// The client takes hold of these when it is loaded. Node's Request knows no page that an address could be relative to.
const hold = vi.hoisted(() => {
  const held = { serve: (_: Request): Promise<Response> => Promise.reject(new Error("no server")) };
  const Plain = globalThis.Request;
  globalThis.Request = class extends Plain {
    constructor(input: RequestInfo | URL, init?: RequestInit) {
      super(typeof input === "string" ? new URL(input, "http://localhost") : input, init);
    }
  };
  globalThis.fetch = (input, init) => held.serve(input instanceof Plain ? input : new Request(input, init));
  return held;
});

// A DOM without a layout has nothing to scroll and no pointer to hold, and of styles none that matter here: to match every rule with every element
// takes a tenth of the time.
Object.assign(Element.prototype, { scrollIntoView: () => undefined, setPointerCapture: () => undefined });
Object.assign(document.defaultView ?? window, { getComputedStyle: (element: HTMLElement) => element.style });

// A busy machine is no failure.
configure({ asyncUtilTimeout: 10_000, defaultHidden: true, getElementError: (message) => new Error(message ?? "") });

type Answers = Record<string, unknown>;
export const answers = recorded as Answers;
export const answer = <T,>(key: string) => structuredClone(answers[key]) as T;

export interface Call {
  method: string;
  path: string;
  query: URLSearchParams;
  body: Record<string, unknown>;
}
type Reply = (call: Call) => unknown;

/** An answer that says no. */
export class No {
  constructor(
    readonly status: number,
    readonly body: unknown,
  ) {}
}

/** What the page asked the server, newest last. */
export const calls: Call[] = [];
export const called = (method: string, path: string) => calls.filter((c) => c.method === method && c.path === path);

let replies: Record<string, Reply> = {};
/** From now on `METHOD /path` is answered by a function of the call instead of by the record. */
export const on = (key: string, reply: Reply) => (replies[key] = reply);

hold.serve = async (request: Request): Promise<Response> => {
  const url = new URL(request.url);
  const text = await request.text();
  const call: Call = {
    method: request.method,
    path: url.pathname.replace("/api/v1", ""),
    query: url.searchParams,
    body: text ? (JSON.parse(text) as Record<string, unknown>) : {},
  };
  calls.push(call);
  const plain = `${call.method} ${call.path}`;
  const key = `${call.method} ${url.pathname}`;
  const exact = Object.keys(answers).find((k) => k === `${key}${url.search}`);
  const found =
    plain in replies
      ? await replies[plain]!(call)
      : (answers[exact ?? key] ??
        answers[`${key}?limit=100`] ??
        new No(404, {
          detail: `Nothing was recorded for ${plain}.`,
        }));
  const [status, body] = found instanceof No ? [found.status, found.body] : [200, found];
  return new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
};

/** The stream of the ledger. */
class Stream {
  static open: Stream[] = [];
  onopen?: () => void;
  onerror?: () => void;
  onmessage?: (message: { data: string; lastEventId: string }) => void;
  constructor(readonly url: string) {
    Stream.open.push(this);
    queueMicrotask(() => this.onopen?.());
  }
  close() {
    Stream.open = Stream.open.filter((s) => s !== this);
  }
}
export const streams = () => Stream.open;
export const tell = (entries: Entry[]) =>
  Stream.open.forEach((s) =>
    s.onmessage?.({ data: JSON.stringify(entries), lastEventId: String(entries[entries.length - 1]!.id) }),
  );

/** A pen that draws nothing and remembers the words. */
export const written: string[] = [];
const pen = () =>
  new Proxy({} as Record<string, unknown>, {
    get: (held, name) =>
      name in held
        ? held[String(name)]
        : (...given: unknown[]) => {
            if (name === "fillText") written.push(String(given[0]));
            if (name === "createImageData")
              return { data: new Uint8ClampedArray(4 * Number(given[0]) * Number(given[1])) };
            return { width: 8, addColorStop: () => undefined };
          },
    set: (held, name, value) => Boolean((held[String(name)] = value)) || true,
  });

export function begin() {
  replies = {};
  calls.length = 0;
  written.length = 0;
  Stream.open = [];
  localStorage.clear();
  queryClient.clear();
  vi.stubGlobal("EventSource", Stream);
  vi.stubGlobal(
    "ResizeObserver",
    class {
      constructor(readonly tell: (entries: { contentRect: { width: number; height: number } }[]) => void) {}
      observe() {
        this.tell([{ contentRect: { width: 900, height: 600 } }]);
      }
      unobserve() {}
      disconnect() {}
    },
  );
  // A DOM without layout: lists that draw only what is seen must believe that something is.
  Object.defineProperty(Element.prototype, "clientHeight", { configurable: true, value: 600 });
  Object.defineProperty(Element.prototype, "clientWidth", { configurable: true, value: 900 });
  vi.spyOn(HTMLCanvasElement.prototype, "getContext").mockImplementation((() => pen()) as never);
  Blob.prototype.text = function (this: Blob) {
    return new Promise((resolve) => {
      const reader = new FileReader();
      reader.onload = () => resolve(String(reader.result));
      reader.readAsText(this);
    });
  };
}
export function end() {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
}

/** Opens an address of the application. */
export function open(address: string) {
  const router = createMemoryRouter(routes, { initialEntries: [address] });
  const view = render(
    <QueryClientProvider client={queryClient}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
  const where = () => `${router.state.location.pathname}${router.state.location.search}`;
  return { ...view, where };
}

/** Buttons and links by their words: a search through roles asks every element for its style, which takes a second here. */
export const buttons = (name: string | RegExp, within: ParentNode = document) =>
  [...within.querySelectorAll<HTMLElement>("button, a[href]")].filter((b) =>
    [b.getAttribute("aria-label"), b.textContent].some((words) => fits(words, name)),
  );
export const button = (name: string | RegExp, within: ParentNode = document) =>
  waitFor(() => {
    const found = buttons(name, within)[0];
    if (!found) throw new Error(`There is no button ${String(name)}.`);
    return found;
  });
export const press = async (name: string | RegExp, within: ParentNode = document) =>
  fireEvent.click(await button(name, within));
const fits = (words: string | null | undefined, name: string | RegExp) =>
  typeof name === "string" ? words?.replace(/\s*\*$/, "").trim() === name : name.test(words ?? "");
/** A field, or whatever else bears a label, by the label's words. */
export function at<T extends Element = HTMLElement>(label: string | RegExp): T {
  const named = [...document.querySelectorAll("[aria-label]")].find((e) => fits(e.getAttribute("aria-label"), label));
  const labelled = [...document.querySelectorAll("label")].find((l) => fits(l.textContent, label))?.control;
  const found = named ?? labelled;
  if (!found) throw new Error(`Nothing is labelled ${String(label)}.`);
  return found as Element as T;
}
export const field = <T extends Element = HTMLElement>(label: string | RegExp) => waitFor(() => at<T>(label));

export const type = (field: Element, value: string) => fireEvent.change(field, { target: { value } });
/** Waits until the page has asked for something, and returns the newest such call. */
export const asked = (method: string, path: string, count = 1) =>
  waitFor(() => {
    const found = called(method, path);
    if (found.length < count) throw new Error(`${method} ${path} was called ${found.length} times`);
    return found[found.length - 1]!;
  });
