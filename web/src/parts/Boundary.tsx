import { Component, type ReactNode } from "react";

/** What stands on a page that broke: the rest of the console stays, and so does all that is stored. */
export class Boundary extends Component<{ children: ReactNode }, { error: unknown }> {
  override state: { error: unknown } = { error: null };

  static getDerivedStateFromError(error: unknown) {
    return { error };
  }

  override render() {
    if (this.state.error === null) return this.props.children;
    const { error } = this.state;
    return (
      <div role="alert" id="broken" className="my-8 border-error border-l-4 bg-base-200 px-3 py-2">
        <h1 className="font-medium">This page cannot be shown: a defect of the console.</h1>
        <p className="mt-1">
          Nothing that is stored was touched, and other pages work. Please report it, with the address of the
          page and this:
        </p>
        <p className="mt-1 break-words font-mono text-sm">
          {error instanceof Error ? `${error.name}: ${error.message}` : String(error)}
        </p>
        <button
          type="button"
          className="btn btn-outline btn-sm mt-2"
          onClick={() => window.location.reload()}
        >
          Try again
        </button>
      </div>
    );
  }
}
