import { Component, type ErrorInfo, type ReactNode } from "react";

/** Keeps what goes wrong while a part is drawn from taking the rest of the page with it. It tries again when what it is about changes. */
export class Boundary extends Component<{ of: string; children: ReactNode }, { failed: Error | null }> {
  state = { failed: null as Error | null };

  static getDerivedStateFromError(failed: Error) {
    return { failed };
  }

  componentDidCatch(error: Error, info: ErrorInfo) {
    console.error(error, info.componentStack);
  }

  componentDidUpdate(before: { of: string }) {
    if (before.of !== this.props.of && this.state.failed) this.setState({ failed: null });
  }

  render() {
    if (!this.state.failed) return this.props.children;
    return (
      <div className="flex h-full flex-col items-center justify-center gap-3 p-8 text-center" role="alert">
        <h1 className="text-xl font-bold">This can’t be shown</h1>
        <p className="max-w-md text-muted">
          Something went wrong while the page was drawn. Nothing that was done is lost: every edit is on the server.
        </p>
        <p className="tc max-w-md text-[12px] text-muted">{this.state.failed.message}</p>
        <div className="flex gap-2">
          <button className="pill-act" onClick={() => this.setState({ failed: null })}>
            Draw it again
          </button>
          <a className="pill h-8" href="/">
            All productions
          </a>
        </div>
      </div>
    );
  }
}
