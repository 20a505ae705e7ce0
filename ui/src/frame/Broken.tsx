import { Component, type ReactNode } from "react";

/** Broken stands where a screen failed: it says so, and what to do, instead of an empty page. */
export class Broken extends Component<{ children: ReactNode }, { failed: boolean }> {
  state = { failed: false };
  static getDerivedStateFromError() {
    return { failed: true };
  }
  render() {
    if (!this.state.failed) return this.props.children;
    return (
      <main role="alert" className="p-8">
        <h1 className="text-title-l">This screen has failed.</h1>
        <p className="mt-2">
          What was saved is kept. Load the page anew; if it fails again, tell whoever looks after the program what you did before.
        </p>
        <button type="button" className="act mt-4" onClick={() => location.reload()}>
          Load anew
        </button>
      </main>
    );
  }
}
