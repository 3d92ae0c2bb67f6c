import { Route, Routes } from "react-router";

import { BuildPage } from "../features/builds/BuildPage";
import { BuildsPage } from "../features/builds/BuildsPage";
import { ChannelPage } from "../features/channels/ChannelPage";
import { DevicesPage } from "../features/devices/DevicesPage";
import { RampPage } from "../features/ramp/RampPage";
import { SignedIn } from "../features/session/SignedIn";
import { EventsPage } from "../features/studio/EventsPage";
import { KeysPage } from "../features/studio/KeysPage";
import { PeoplePage } from "../features/studio/PeoplePage";
import { DocumentPage } from "../features/titles/DocumentPage";
import { TitlesPage } from "../features/titles/TitlesPage";
import { Frame } from "./Frame";
import { Nowhere } from "./Nowhere";

/** Every page has an address of its own. */
export function Routing() {
  return (
    <SignedIn>
      <Routes>
        <Route element={<Frame />}>
          <Route index element={<TitlesPage />} />
          <Route path="titles/:title" element={<RampPage />} />
          <Route path="titles/:title/builds" element={<BuildsPage />} />
          <Route path="titles/:title/builds/:build" element={<BuildPage />} />
          <Route path="titles/:title/channels/:channel" element={<ChannelPage />} />
          <Route path="titles/:title/channels/:channel/place/:build" element={<ChannelPage />} />
          <Route path="titles/:title/devices" element={<DevicesPage />} />
          <Route path="titles/:title/document" element={<DocumentPage />} />
          <Route path="keys" element={<KeysPage />} />
          <Route path="people" element={<PeoplePage />} />
          <Route path="events" element={<EventsPage />} />
          <Route path="*" element={<Nowhere />} />
        </Route>
      </Routes>
    </SignedIn>
  );
}
