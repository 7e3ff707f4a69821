import type { Job } from '@judoka/contract';
import { useJobsQuery } from '../api/api.ts';

const LOOK_MS = 1500;

/** Heavy work of this account, looked at again and again. */
export function useJobs(): readonly Job[] {
  const { data = [] } = useJobsQuery(undefined, {
    refetchOnMountOrArgChange: true,
    pollingInterval: LOOK_MS,
    skipPollingIfUnfocused: true,
  });
  return data;
}
