import { Component, type ReactNode } from "react";
import { Button } from "./button";

/** What stands in the place of a view that failed while it was drawn; the rest of the program goes on. */
export class CrashGuard extends Component<{ children: ReactNode; at: string }, { failed: string | null }> {
  override state: { failed: string | null } = { failed: null };

  static getDerivedStateFromError(error: unknown) {
    return { failed: error instanceof Error ? error.message : String(error) };
  }

  override componentDidUpdate(before: { at: string }) {
    if (before.at !== this.props.at && this.state.failed !== null) this.setState({ failed: null });
  }

  override render() {
    if (this.state.failed === null) return this.props.children;
    return (
      <div role="alert" className="mx-auto max-w-[60ch] px-6 py-14 text-center">
        <p className="text-[17px] font-semibold text-bad">This view could not be drawn.</p>
        <p className="mt-2 text-quiet">
          Nothing that was saved is lost. Go to another view, or try again; the fault says: {this.state.failed}
        </p>
        <Button className="mt-4" onClick={() => this.setState({ failed: null })}>
          Try again
        </Button>
      </div>
    );
  }
}
