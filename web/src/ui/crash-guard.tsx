import { Component, type ReactNode } from "react";
import { Button } from "./button";

interface Props {
  children: ReactNode;
  /** Where one is: elsewhere it is tried anew. */
  at: string;
  /** What is guarded, where it is not a view but a strip of the page. */
  strip?: string;
}

/** What stands in the place of a part of the page that failed while it was drawn; the rest of the program goes on. */
export class CrashGuard extends Component<Props, { failed: string | null }> {
  override state: { failed: string | null } = { failed: null };

  static getDerivedStateFromError(error: unknown) {
    return { failed: error instanceof Error ? error.message : String(error) };
  }

  override componentDidUpdate(before: { at: string }) {
    if (before.at !== this.props.at && this.state.failed !== null) this.setState({ failed: null });
  }

  override render() {
    if (this.state.failed === null) return this.props.children;
    const again = () => this.setState({ failed: null });
    if (this.props.strip)
      return (
        <div role="alert" className="flex flex-wrap items-center gap-2 border-b border-bad bg-badwash px-4 py-1">
          <b className="text-bad">{this.props.strip} could not be drawn.</b> The fault says: {this.state.failed}
          <Button onClick={again}>Try again</Button>
        </div>
      );
    return (
      <div role="alert" className="mx-auto max-w-[60ch] px-6 py-14 text-center">
        <p className="text-[17px] font-semibold text-bad">This view could not be drawn.</p>
        <p className="mt-2 text-quiet">
          Nothing that was saved is lost. Go to another view, or try again; the fault says: {this.state.failed}
        </p>
        <Button className="mt-4" onClick={again}>
          Try again
        </Button>
      </div>
    );
  }
}
