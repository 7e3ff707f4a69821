import { Notifications } from '@mantine/notifications';
import '@mantine/core/styles/Notification.layer.css';
import '@mantine/notifications/styles.layer.css';

/** Where notices of the whole page appear. */
export function Notices() {
  return <Notifications position="top-center" />;
}
