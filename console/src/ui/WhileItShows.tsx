import { Component, type ReactNode } from "react";

interface Props {
  /** What is shown; with another one it is tried again. */
  of: string;
  children: ReactNode;
}

interface State {
  of: string;
  isBroken: boolean;
}

/** What cannot be shown as it is typed is left out until it can. */
export class WhileItShows extends Component<Props, State> {
  state = { of: this.props.of, isBroken: false };

  static getDerivedStateFromError() {
    return { isBroken: true };
  }

  static getDerivedStateFromProps(props: Props, state: State): State | null {
    return props.of === state.of ? null : { of: props.of, isBroken: false };
  }

  render() {
    return this.state.isBroken ? null : this.props.children;
  }
}
