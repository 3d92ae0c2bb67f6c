import { type ComponentType, lazy, Suspense } from "react";
import { Navigate, Route, Routes } from "react-router";

import { useSession } from "../features/session/queries";
import { SignedIn } from "../features/session/SignedIn";
import { Frame } from "./Frame";
import { Nowhere } from "./Nowhere";

/** A page is fetched when it is first opened: the first load is small, however many pages there are. */
function page<Name extends string, Props>(name: Name, load: () => Promise<Record<Name, ComponentType<Props>>>) {
  return lazy(async () => ({ default: (await load())[name] }));
}

const AccountPage = page("AccountPage", () => import("../features/session/AccountPage"));
const AgentsPage = page("AgentsPage", () => import("../features/agents/AgentsPage"));
const AllowPage = page("AllowPage", () => import("../features/session/AllowPage"));
const ReturnPage = page("ReturnPage", () => import("../features/session/ReturnPage"));
const BisectPage = page("BisectPage", () => import("../features/bisects/BisectPage"));
const BisectsPage = page("BisectsPage", () => import("../features/bisects/BisectsPage"));
const BoardPage = page("BoardPage", () => import("../features/board/BoardPage"));
const BuildPage = page("BuildPage", () => import("../features/builds/BuildPage"));
const BuildsPage = page("BuildsPage", () => import("../features/builds/BuildsPage"));
const CompareBuildsPage = page("CompareBuildsPage", () => import("../features/builds/CompareBuildsPage"));
const RetentionPage = page("RetentionPage", () => import("../features/builds/RetentionPage"));
const ChannelPage = page("ChannelPage", () => import("../features/channels/ChannelPage"));
const ChannelsPage = page("ChannelsPage", () => import("../features/channels/ChannelsPage"));
const CrashPage = page("CrashPage", () => import("../features/crashes/CrashPage"));
const CrashesPage = page("CrashesPage", () => import("../features/crashes/CrashesPage"));
const DeliveryPage = page("DeliveryPage", () => import("../features/delivery/DeliveryPage"));
const DevicesPage = page("DevicesPage", () => import("../features/devices/DevicesPage"));
const DocumentPage = page("DocumentPage", () => import("../features/document/DocumentPage"));
const EditPage = page("EditPage", () => import("../features/document/EditPage"));
const ReviewPage = page("ReviewPage", () => import("../features/document/ReviewPage"));
const ListingPage = page("ListingPage", () => import("../features/listing/ListingPage"));
const EditListingPage = page("EditListingPage", () => import("../features/listing/EditListingPage"));
const ReviewListingPage = page("ReviewListingPage", () => import("../features/listing/ReviewListingPage"));
const PreviewListingPage = page("PreviewListingPage", () => import("../features/listing/PreviewListingPage"));
const PicturesPage = page("PicturesPage", () => import("../features/pictures/PicturesPage"));
const CheckPage = page("CheckPage", () => import("../features/profiles/CheckPage"));
const ComparePage = page("ComparePage", () => import("../features/profiles/ComparePage"));
const MatrixPage = page("MatrixPage", () => import("../features/profiles/MatrixPage"));
const ProfilePage = page("ProfilePage", () => import("../features/profiles/ProfilePage"));
const RampPage = page("RampPage", () => import("../features/ramp/RampPage"));
const ReleasePage = page("ReleasePage", () => import("../features/releases/ReleasePage"));
const ReleasesPage = page("ReleasesPage", () => import("../features/releases/ReleasesPage"));
const RolloutPage = page("RolloutPage", () => import("../features/channels/RolloutPage"));
const QueuePage = page("QueuePage", () => import("../features/runs/QueuePage"));
const RunPage = page("RunPage", () => import("../features/runs/RunPage"));
const RunsPage = page("RunsPage", () => import("../features/runs/RunsPage"));
const StartPage = page("StartPage", () => import("../features/runs/StartPage"));
const VariablesPage = page("VariablesPage", () => import("../features/variables/VariablesPage"));
const SourcePage = page("SourcePage", () => import("../features/sources/SourcePage"));
const ContentPage = page("ContentPage", () => import("../features/content/ContentPage"));
const StudioPage = page("StudioPage", () => import("../features/studio/StudioPage"));
const CalendarPage = page("CalendarPage", () => import("../features/calendar/CalendarPage"));
const BuildReviewPage = page("ReviewPage", () => import("../features/reviews/ReviewPage"));
const ReviewsPage = page("ReviewsPage", () => import("../features/reviews/ReviewsPage"));
const ReviewFrame = page("ReviewFrame", () => import("../features/reviews/ReviewFrame"));
const SubmissionPage = page("SubmissionPage", () => import("../features/submissions/SubmissionPage"));
const SubmissionsPage = page("SubmissionsPage", () => import("../features/submissions/SubmissionsPage"));
const SubmitPage = page("SubmitPage", () => import("../features/submissions/SubmitPage"));
const StorefrontsPage = page("StorefrontsPage", () => import("../features/storefronts/StorefrontsPage"));
const StorefrontReturnPage = page("StorefrontReturnPage", () => import("../features/storefronts/StorefrontReturnPage"));
const StorePage = page("StorePage", () => import("../features/store/StorePage"));
const UpdatesPage = page("UpdatesPage", () => import("../features/updates/UpdatesPage"));
const ReplaysPage = page("ReplaysPage", () => import("../features/replays/ReplaysPage"));
const EventsPage = page("EventsPage", () => import("../features/events/EventsPage"));
const InvitationPage = page("InvitationPage", () => import("../features/session/InvitationPage"));
const PeoplePage = page("PeoplePage", () => import("../features/people/PeoplePage"));
const ProposePage = page("ProposePage", () => import("../features/titles/ProposePage"));
const GrantsPage = page("GrantsPage", () => import("../features/signing/GrantsPage"));
const KeyPage = page("KeyPage", () => import("../features/signing/KeyPage"));
const KeysPage = page("KeysPage", () => import("../features/signing/KeysPage"));
const TestersPage = page("TestersPage", () => import("../features/testers/TestersPage"));
const TestingFrame = page("TestingFrame", () => import("../features/testing/TestingFrame"));
const TestingPage = page("TestingPage", () => import("../features/testing/TestingPage"));
const OwnDevicesPage = page("OwnDevicesPage", () => import("../features/testing/OwnDevicesPage"));
const InstallPage = page("InstallPage", () => import("../features/testing/InstallPage"));
const ScreensPage = page("ScreensPage", () => import("../features/screens/ScreensPage"));
const TestScreensPage = page("TestScreensPage", () => import("../features/screens/TestScreensPage"));
const SignOffPage = page("SignOffPage", () => import("../features/testing/SignOffPage"));
const WebhooksPage = page("WebhooksPage", () => import("../features/webhooks/WebhooksPage"));
const DeliveriesPage = page("DeliveriesPage", () => import("../features/webhooks/DeliveriesPage"));
const FeedbackListPage = page("FeedbackListPage", () => import("../features/feedback/FeedbackListPage"));
const FeedbackPage = page("FeedbackPage", () => import("../features/feedback/FeedbackPage"));
const OwnFeedbackPage = page("OwnFeedbackPage", () => import("../features/testing/OwnFeedbackPage"));
const JoinPage = page("JoinPage", () => import("../features/testing/JoinPage"));
const RegisterDevicePage = page("RegisterDevicePage", () => import("../features/testing/RegisterDevicePage"));
const NotForTesters = page("NotForTesters", () => import("../features/testing/NotForTesters"));
const VersionsPage = page("VersionsPage", () => import("../features/versions/VersionsPage"));

/** Every page has an address of its own. */
export function Routing() {
  return (
    <Routes>
      {/* For who cannot sign in yet. */}
      <Route path="invitation" element={<Suspense>{<InvitationPage />}</Suspense>} />
      <Route path="join" element={<Suspense>{<JoinPage />}</Suspense>} />
      <Route path="device" element={<Suspense>{<RegisterDevicePage />}</Suspense>} />
      <Route path="signed-in" element={<Suspense>{<ReturnPage />}</Suspense>} />
      <Route path="*" element={<Pages />} />
    </Routes>
  );
}

function Pages() {
  return (
    <SignedIn>
      <Suspense>
        <SignedInPages />
      </Suspense>
    </SignedIn>
  );
}

/** A tester has pages of their own and no others: what they open elsewhere says so. */
function SignedInPages() {
  const { data: session } = useSession();
  const tester = session?.person.role === "tester";
  const testing = (
    <Route element={<TestingFrame />}>
      <Route path="testing" element={<TestingPage />} />
      <Route path="testing/devices" element={<OwnDevicesPage />} />
      <Route path="testing/simulated" element={<TestScreensPage />} />
      <Route path="testing/feedback" element={<OwnFeedbackPage />} />
      <Route path="testing/account" element={<AccountPage />} />
      <Route path="install/:title/:channel/:build" element={<InstallPage />} />
      <Route path="install/:title/:channel/:build/sign-off/:checklist" element={<SignOffPage />} />
      {tester && (
        <>
          <Route index element={<Navigate to="/testing" replace />} />
          <Route path="allow" element={<AllowPage />} />
          <Route path="*" element={<NotForTesters />} />
        </>
      )}
    </Route>
  );
  if (tester) return <Routes>{testing}</Routes>;
  if (session?.person.role === "reviewer")
    return (
      <Routes>
        <Route element={<ReviewFrame />}>
          <Route index element={<Navigate to="/reviews" replace />} />
          <Route path="reviews" element={<ReviewsPage />} />
          <Route path="titles/:title/reviews/:review" element={<BuildReviewPage />} />
          <Route path="studio" element={<StudioPage />} />
          <Route path="account" element={<AccountPage />} />
          <Route path="allow" element={<AllowPage />} />
          <Route path="*" element={<Nowhere />} />
        </Route>
      </Routes>
    );
  return (
    <Routes>
      {testing}
      <Route element={<Frame />}>
        <Route index element={<BoardPage />} />
        <Route path="titles/:title" element={<RampPage />} />
        <Route path="titles/:title/builds" element={<BuildsPage />} />
        <Route path="titles/:title/builds/compare" element={<CompareBuildsPage />} />
        <Route path="titles/:title/builds/retention" element={<RetentionPage />} />
        <Route path="titles/:title/builds/:build" element={<BuildPage />} />
        <Route path="titles/:title/builds/:build/content" element={<ContentPage />} />
        <Route path="titles/:title/updates" element={<UpdatesPage />} />
        <Route path="titles/:title/replays" element={<ReplaysPage />} />
        <Route path="titles/:title/replays/:number" element={<ReplaysPage />} />
        <Route path="store" element={<StorePage />} />
        <Route path="storefronts" element={<StorefrontsPage />} />
        <Route path="storefronts/return" element={<StorefrontReturnPage />} />
        <Route path="titles/:title/runs" element={<RunsPage />} />
        <Route path="titles/:title/runs/start" element={<StartPage />} />
        <Route path="titles/:title/runs/:run" element={<RunPage />} />
        <Route path="titles/:title/bisects" element={<BisectsPage />} />
        <Route path="titles/:title/bisects/find" element={<BisectsPage finding />} />
        <Route path="titles/:title/bisects/:bisect" element={<BisectPage />} />
        <Route path="titles/:title/source" element={<SourcePage />} />
        <Route path="titles/:title/channels" element={<ChannelsPage />} />
        <Route path="titles/:title/channels/:channel" element={<ChannelPage />} />
        <Route path="titles/:title/channels/:channel/place/:build" element={<ChannelPage />} />
        <Route path="titles/:title/channels/:channel/roll-back" element={<ChannelPage back />} />
        <Route path="titles/:title/channels/:channel/rollouts/:rollout" element={<RolloutPage />} />
        <Route path="titles/:title/releases" element={<ReleasesPage />} />
        <Route path="titles/:title/releases/make" element={<ReleasesPage making />} />
        <Route path="titles/:title/releases/:release" element={<ReleasePage />} />
        <Route path="titles/:title/releases/:release/place/:channel" element={<ReleasePage />} />
        <Route path="titles/:title/crashes" element={<CrashesPage />} />
        <Route path="titles/:title/crashes/:crash" element={<CrashPage />} />
        <Route path="titles/:title/crashes/:crash/find" element={<CrashPage finding />} />
        <Route path="titles/:title/devices" element={<DevicesPage />} />
        <Route path="titles/:title/devices/simulated" element={<ScreensPage />} />
        <Route path="titles/:title/delivery" element={<DeliveryPage />} />
        <Route path="titles/:title/webhooks" element={<WebhooksPage />} />
        <Route path="titles/:title/webhooks/:webhook" element={<DeliveriesPage />} />
        <Route path="titles/:title/feedback" element={<FeedbackListPage />} />
        <Route path="titles/:title/feedback/:feedback" element={<FeedbackPage />} />
        <Route path="titles/:title/testers" element={<TestersPage />} />
        <Route path="titles/:title/testers/groups" element={<TestersPage part="groups" />} />
        <Route path="titles/:title/testers/invitations" element={<TestersPage part="invitations" />} />
        <Route path="titles/:title/testers/invite" element={<TestersPage inviting />} />
        <Route path="titles/:title/document" element={<DocumentPage />} />
        <Route path="titles/:title/document/edit" element={<EditPage />} />
        <Route path="titles/:title/document/review" element={<ReviewPage />} />
        <Route path="titles/:title/profiles" element={<MatrixPage />} />
        <Route path="titles/:title/profiles/:profile" element={<ProfilePage />} />
        <Route path="titles/:title/compare" element={<ComparePage />} />
        <Route path="titles/:title/check" element={<CheckPage />} />
        <Route path="titles/:title/pictures" element={<PicturesPage />} />
        <Route path="titles/:title/listing" element={<ListingPage />} />
        <Route path="titles/:title/listing/edit" element={<EditListingPage />} />
        <Route path="titles/:title/listing/review" element={<ReviewListingPage />} />
        <Route path="titles/:title/listing/preview" element={<PreviewListingPage />} />
        <Route path="titles/:title/submissions" element={<SubmissionsPage />} />
        <Route path="titles/:title/submissions/submit" element={<SubmitPage />} />
        <Route path="titles/:title/submissions/:submission" element={<SubmissionPage />} />
        <Route path="reviews" element={<ReviewsPage />} />
        <Route path="titles/:title/reviews/:review" element={<BuildReviewPage />} />
        <Route path="calendar" element={<CalendarPage />} />
        <Route path="studio" element={<StudioPage />} />
        <Route path="propose" element={<ProposePage />} />
        <Route path="queue" element={<QueuePage />} />
        <Route path="agents" element={<AgentsPage />} />
        <Route path="variables" element={<VariablesPage />} />
        <Route path="keys" element={<KeysPage />} />
        <Route path="keys/:name" element={<KeyPage />} />
        <Route path="titles/:title/versions" element={<VersionsPage />} />
        <Route path="titles/:title/grants" element={<GrantsPage />} />
        <Route path="allow" element={<AllowPage />} />
        <Route path="account" element={<AccountPage />} />
        <Route path="people" element={<PeoplePage />} />
        <Route path="events" element={<EventsPage />} />
        <Route path="*" element={<Nowhere />} />
      </Route>
    </Routes>
  );
}
