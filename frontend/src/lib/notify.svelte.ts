/** Notifications of the desktop, where the person allowed them: what was noticed reaches somebody who looks elsewhere. */

const KEY = 'notifications';

export const mayNotify = 'Notification' in globalThis;

class Notifications {
  on = $state(mayNotify && localStorage.getItem(KEY) === 'on' && Notification.permission === 'granted');

  /** Ask for the browser's permission where it is wanted; what it refuses stays off. */
  async allow(wanted: boolean): Promise<void> {
    this.on = wanted && mayNotify && (await Notification.requestPermission()) === 'granted';
    localStorage.setItem(KEY, this.on ? 'on' : 'off');
  }

  /** Tell it on the desktop, unless the page is looked at: there it stands in the head. */
  tell(sentence: string, action: string): void {
    if (!this.on || (!document.hidden && document.hasFocus())) return;
    // One at a time: a newer one takes the place of an older.
    new Notification(sentence, { body: action, tag: 'obsidian-wren' });
  }
}

export const notifications = new Notifications();
