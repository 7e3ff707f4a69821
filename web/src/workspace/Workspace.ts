import type { OpenDocument } from '../document/OpenDocument.ts';
import { CopyKeeper } from '../document/copies/CopyKeeper.ts';
import { TrialThreads } from '../document/TrialThreads.ts';
import { BlemishList } from '../features/blemishes/BlemishList.ts';
import { BindRuns } from '../features/bind/BindRuns.ts';
import { CheckUpWatch } from '../features/checkIn/CheckUpWatch.ts';
import { ClipPlayer } from '../features/clips/ClipPlayer.ts';
import { Comments } from '../features/comments/Comments.ts';
import { Presence } from '../features/company/Presence.ts';
import { Clipboard } from '../features/exact/Clipboard.ts';
import { JointPlacement } from '../features/joints/JointPlacement.ts';
import { HistoryList } from '../features/history/HistoryList.ts';
import { MomentLook } from '../features/history/MomentLook.ts';
import { Mirroring } from '../features/mirror/Mirroring.ts';
import { MaskPainting } from '../features/paint/MaskPainting.ts';
import { Painting } from '../features/paint/Painting.ts';
import { Trial } from '../trial/Trial.ts';
import { ReachTool } from '../features/reach/ReachTool.ts';
import { ShapeLook } from '../features/shapes/ShapeLook.ts';
import { Walking } from '../features/select/Walking.ts';
import { StrayList } from '../features/strays/StrayList.ts';
import { Transfers } from '../features/transfer/Transfers.ts';
import { CageMaking } from '../features/follow/CageMaking.ts';
import { Curing } from '../features/cure/Curing.ts';
import { Delivering } from '../features/deliver/Delivering.ts';
import { Comparing } from '../features/compare/Comparing.ts';
import type { Editing } from '../scene/Editing.ts';
import { Scene } from '../scene/Scene.ts';
import { Troubles } from './Troubles.ts';
import type { ScenePart } from '../scene/ScenePart.ts';

let opened = 0;

/**
 * One character's page: its document, its scene, and what each feature keeps. This is the one place that knows them all;
 * a feature says by its own types what it needs of it.
 */
export class Workspace implements Editing {
  /** Tells it from another one of the same character. */
  readonly serial = ++opened;
  readonly document: OpenDocument;
  readonly scene: Scene;
  readonly trialThreads: TrialThreads;
  readonly bindRuns: BindRuns;
  readonly checkUp: CheckUpWatch;
  readonly clipboard = new Clipboard();
  readonly comments: Comments;
  readonly presence: Presence;
  readonly copyKeeper: CopyKeeper;
  readonly clips: ClipPlayer;
  readonly jointPlacement: JointPlacement;
  readonly historyList: HistoryList;
  readonly momentLook: MomentLook;
  readonly mirroring: Mirroring;
  readonly painting: Painting;
  readonly masks: MaskPainting;
  readonly shapeLook: ShapeLook;
  readonly reachTool: ReachTool;
  readonly strayList: StrayList;
  readonly blemishList: BlemishList;
  readonly transfers: Transfers;
  readonly comparing: Comparing;
  readonly trial: Trial;
  readonly troubles: Troubles;
  readonly walking: Walking;
  readonly delivering: Delivering;
  readonly curing: Curing;
  readonly cageMaking: CageMaking;
  readonly #leaving = (): void => this.document.settle();

  constructor(document: OpenDocument, parts: readonly ScenePart[]) {
    this.document = document;
    this.scene = new Scene(document, parts);
    this.trialThreads = new TrialThreads(document);
    this.bindRuns = new BindRuns(this);
    this.comments = new Comments(document);
    this.presence = new Presence(this);
    this.copyKeeper = new CopyKeeper(document);
    this.checkUp = new CheckUpWatch(document);
    this.historyList = new HistoryList(this);
    this.momentLook = new MomentLook(this);
    this.mirroring = new Mirroring(this);
    this.painting = new Painting(this, this.mirroring);
    this.masks = new MaskPainting(this, this.mirroring);
    this.shapeLook = new ShapeLook(this);
    this.jointPlacement = new JointPlacement(this);
    this.reachTool = new ReachTool(this);
    this.walking = new Walking(this);
    this.transfers = new Transfers(this);
    this.trial = new Trial(this, this.trialThreads);
    this.comparing = new Comparing(this);
    this.delivering = new Delivering(this);
    this.curing = new Curing(this);
    this.cageMaking = new CageMaking(this);
    this.strayList = new StrayList(this, this.trialThreads);
    this.strayList.events.subscribe('changed', () => this.scene.setStrays(this.strayList.open()));
    this.blemishList = new BlemishList(this, this.trialThreads);
    this.troubles = new Troubles(this);
    this.clips = new ClipPlayer(this, this.trialThreads);
    // What was measured of a clip was another motion before it was mapped anew.
    this.clips.events.subscribe('mapped', () => this.trial.forgetClip());
    addEventListener('pagehide', this.#leaving);
  }

  /** Whether it took the place of another one. */
  goesOn = false;
  /** Where the one that it takes the place of was looked at from. */
  cameFrom: Workspace | undefined;

  /** Takes the place of another one of the same character: what a person had chosen, selected and hidden there stays so. */
  goOnFrom(before: Workspace): void {
    this.goesOn = true;
    this.cameFrom = before;
    const { scene } = before;
    this.scene.chooseJoint(this.document.skeleton.joints[scene.joint]?.removed ? -1 : scene.joint);
    this.scene.chooseAlso([...scene.alsoChosen]);
    // A cage that was just made is seen.
    this.scene.parts.forEach((part) => (part.visible = scene.parts.at(part.index)?.visible ?? true));
    this.scene.setApart(scene.apart);
    this.scene.setShowsRest(scene.showsRest);
    this.scene.selection.choosePoints(pointsBelow(scene.selection.points(), this.scene.parts), 'replace');
    this.scene.partsChanged();
  }

  close(): void {
    removeEventListener('pagehide', this.#leaving);
    this.presence.close();
    this.copyKeeper.close();
    this.comments.close();
    this.bindRuns.close();
    this.transfers.close();
    this.comparing.close();
    this.delivering.close();
    this.curing.close();
    this.cageMaking.stop();
    this.masks.close();
    this.document.close();
    this.scene.close();
    this.checkUp.close();
    this.strayList.close();
    this.blemishList.close();
    this.mirroring.close();
    this.trial.close();
    this.trialThreads.close();
    this.clips.close();
  }
}

/** Of points by part, those that there are. */
const pointsBelow = (
  points: ReadonlyMap<number, Uint32Array>,
  parts: readonly ScenePart[],
): ReadonlyMap<number, Uint32Array> =>
  new Map([...points].map(([part, list]) => [part, list.filter((p) => p < parts[part].part.pointCount)]));
