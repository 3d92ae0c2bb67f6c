import { Route, Routes } from "react-router";

import { AgentsPage } from "../features/agents/AgentsPage";
import { BuildPage } from "../features/builds/BuildPage";
import { BuildsPage } from "../features/builds/BuildsPage";
import { CompareBuildsPage } from "../features/builds/CompareBuildsPage";
import { RetentionPage } from "../features/builds/RetentionPage";
import { ChannelPage } from "../features/channels/ChannelPage";
import { DevicesPage } from "../features/devices/DevicesPage";
import { DocumentPage } from "../features/document/DocumentPage";
import { EditPage } from "../features/document/EditPage";
import { ReviewPage } from "../features/document/ReviewPage";
import { PicturesPage } from "../features/pictures/PicturesPage";
import { CheckPage } from "../features/profiles/CheckPage";
import { ComparePage } from "../features/profiles/ComparePage";
import { MatrixPage } from "../features/profiles/MatrixPage";
import { ProfilePage } from "../features/profiles/ProfilePage";
import { RampPage } from "../features/ramp/RampPage";
import { QueuePage } from "../features/runs/QueuePage";
import { RunPage } from "../features/runs/RunPage";
import { RunsPage } from "../features/runs/RunsPage";
import { StartPage } from "../features/runs/StartPage";
import { VariablesPage } from "../features/sources/VariablesPage";
import { SourcePage } from "../features/sources/SourcePage";
import { ContentPage } from "../features/content/ContentPage";
import { StorePage } from "../features/store/StorePage";
import { UpdatesPage } from "../features/updates/UpdatesPage";
import { SignedIn } from "../features/session/SignedIn";
import { EventsPage } from "../features/studio/EventsPage";
import { PeoplePage } from "../features/studio/PeoplePage";
import { ProposePage } from "../features/titles/ProposePage";
import { GrantsPage } from "../features/vault/GrantsPage";
import { KeyPage } from "../features/vault/KeyPage";
import { KeysPage } from "../features/vault/KeysPage";
import { VersionsPage } from "../features/versions/VersionsPage";
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
          <Route path="titles/:title/builds/compare" element={<CompareBuildsPage />} />
          <Route path="titles/:title/builds/retention" element={<RetentionPage />} />
          <Route path="titles/:title/builds/:build" element={<BuildPage />} />
          <Route path="titles/:title/builds/:build/content" element={<ContentPage />} />
          <Route path="titles/:title/updates" element={<UpdatesPage />} />
          <Route path="store" element={<StorePage />} />
          <Route path="titles/:title/runs" element={<RunsPage />} />
          <Route path="titles/:title/runs/start" element={<StartPage />} />
          <Route path="titles/:title/runs/:run" element={<RunPage />} />
          <Route path="titles/:title/source" element={<SourcePage />} />
          <Route path="titles/:title/channels/:channel" element={<ChannelPage />} />
          <Route path="titles/:title/channels/:channel/place/:build" element={<ChannelPage />} />
          <Route path="titles/:title/devices" element={<DevicesPage />} />
          <Route path="titles/:title/document" element={<DocumentPage />} />
          <Route path="titles/:title/document/edit" element={<EditPage />} />
          <Route path="titles/:title/document/review" element={<ReviewPage />} />
          <Route path="titles/:title/profiles" element={<MatrixPage />} />
          <Route path="titles/:title/profiles/:profile" element={<ProfilePage />} />
          <Route path="titles/:title/compare" element={<ComparePage />} />
          <Route path="titles/:title/check" element={<CheckPage />} />
          <Route path="titles/:title/pictures" element={<PicturesPage />} />
          <Route path="propose" element={<ProposePage />} />
          <Route path="queue" element={<QueuePage />} />
          <Route path="agents" element={<AgentsPage />} />
          <Route path="variables" element={<VariablesPage />} />
          <Route path="keys" element={<KeysPage />} />
          <Route path="keys/:name" element={<KeyPage />} />
          <Route path="titles/:title/versions" element={<VersionsPage />} />
          <Route path="titles/:title/grants" element={<GrantsPage />} />
          <Route path="people" element={<PeoplePage />} />
          <Route path="events" element={<EventsPage />} />
          <Route path="*" element={<Nowhere />} />
        </Route>
      </Routes>
    </SignedIn>
  );
}
