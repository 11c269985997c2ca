import { Component, lazy, type ReactNode } from "react";
import { Button } from "./controls";

const tries = 8;

/** Loads a part of the console, again and again while the service is away. */
async function again<T>(load: () => Promise<T>, left: number, pause: number): Promise<T> {
  try {
    return await load();
  } catch (e) {
    if (left === 0) throw e;
    await new Promise((done) => window.setTimeout(done, pause));
    return again(load, left - 1, Math.min(pause * 2, 8000));
  }
}

/** A part of the console that is loaded when it is shown first. What it cannot load in half a minute it throws: see Whole. */
export const late: typeof lazy = (load) => lazy(() => again(load, tries, 400));

/** Keeps what goes wrong in a part of the page from taking the rest with it. */
export class Whole extends Component<{ children: ReactNode }, { error: Error | null }> {
  override state = { error: null as Error | null };

  static getDerivedStateFromError(error: Error) {
    return { error };
  }

  override render() {
    if (!this.state.error) return this.props.children;
    return (
      <div role="alert" className="flex items-center justify-between gap-4 px-4 py-6">
        <p className="text-down">
          This part of the console could not be loaded or shown. It may be of another version than the service by now.
        </p>
        <Button onClick={() => window.location.reload()}>Load the console anew</Button>
      </div>
    );
  }
}
