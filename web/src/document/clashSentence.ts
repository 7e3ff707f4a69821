import { counted } from '@judoka/core/document';
/** What happened when others had changed the character meanwhile, in a sentence. */
export function clashSentence(theirs: number, mine: number, shared: number): string {
  const changes = theirs === 1 ? '1 change was' : `${theirs.toLocaleString('en')} changes were`;
  const put = mine > 0 ? ` Yours ${mine === 1 ? 'was put' : 'were put'} on top.` : '';
  const overlap =
    shared > 0 ? ` ${counted(shared, 'point')} had been changed there too; undo shows them.` : '';
  return `${changes} made in another tab or by someone else, and taken in here.${put}${overlap}`;
}

/** What was left in this browser by an earlier visit, in a sentence. */
export function takenOverSentence(count: number): string {
  const [edits, were, are] = count === 1 ? ['1 edit', 'was', 'is'] : [`${count} edits`, 'were', 'are'];
  return `${edits} from before ${were} still here and ${are} sent now.`;
}
