import { useEffect } from "react";
import { Page } from "../../ui/Layout";
import { BACK } from "./use";

/** Where a service sends a developer back to: what it says is handed to the page that waits for it. */
export default function SignedIn() {
  useEffect(() => {
    const channel = new BroadcastChannel(BACK);
    channel.postMessage(location.search.slice(1));
    channel.close();
    history.replaceState(null, "", location.pathname);
    window.close();
  }, []);
  return <Page title="Back from the service">This window can be closed.</Page>;
}
