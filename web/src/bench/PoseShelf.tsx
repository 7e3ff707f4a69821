import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { KeepField } from './KeepField.tsx';
import { stageActions } from './useShortcuts.ts';

/** Poses kept under names: a picture each; a click takes the pose. */
export function PoseShelf({ session }: { session: CharacterSession }) {
  useTopic(session, 'kept');
  useTopic(session, 'pose');
  const { poses } = session.kept;
  const posed = Object.keys(session.pose).length > 0;
  const act = (work: Promise<void>): void =>
    void work.catch((error: Error) => session.tellPerson(error.message));
  return (
    <section className="group" aria-label="Kept poses">
      <h2>Kept poses</h2>
      <KeepField
        label="Name of the pose"
        act="Keep"
        hint={posed ? 'Name this pose' : 'Pose a joint first'}
        disabled={!posed}
        keep={(name) => session.kept.keepPose(name, session.pose, stageActions()?.picture() ?? null)}
        failed={(error) => session.tellPerson(error.message)}
      />
      {poses.length === 0 && <p className="card-line">None yet.</p>}
      <div className="pose-shelf">
        {poses.map((pose) => (
          <figure key={pose.id} className="pose-card">
            <button
              type="button"
              title={`Take the pose “${pose.name}”`}
              aria-label={`Take the pose ${pose.name}`}
              onClick={() => session.setPose(session.knownJoints(pose.joints))}
            >
              {pose.picture ? <img src={pose.picture} alt="" /> : <span>no picture</span>}
            </button>
            <figcaption title={pose.name}>{pose.name}</figcaption>
            <div className="pose-acts">
              <button
                type="button"
                disabled={!posed}
                onClick={() =>
                  act(
                    session.kept.changePose(pose.id, {
                      joints: { ...session.pose } as typeof pose.joints,
                      picture: stageActions()?.picture(),
                    }),
                  )
                }
              >
                update
              </button>
              <button type="button" onClick={() => act(session.kept.removePose(pose.id))}>
                drop
              </button>
            </div>
          </figure>
        ))}
      </div>
    </section>
  );
}
