import { Component, type ReactNode } from "react";

import { Failure } from "../ui/parts";
import { ApiError } from "./http";

interface Props {
  /** Where one is: another page gets a chance of its own. */
  at: string;
  children: ReactNode;
}

/** A page is fetched when it is opened: when that fails, it is said here, and trying again fetches it. */
export class PageFailure extends Component<Props, { failed: boolean }> {
  state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  componentDidUpdate(before: Props) {
    if (before.at !== this.props.at && this.state.failed) this.setState({ failed: false });
  }

  render() {
    if (!this.state.failed) return this.props.children;
    const error = new ApiError(0, {
      detail: "The service does not answer: the page could not be fetched.",
      hint: "Start it with bin/up, then try again.",
    });
    return <Failure error={error} retry={() => window.location.reload()} />;
  }
}
