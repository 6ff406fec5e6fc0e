/** What tests of views do in a browser. */
import AxeBuilder from '@axe-core/playwright';
import type { Page } from 'playwright-core';
import { expect } from 'vitest';
import { PASSWORDS } from './harness.ts';

/** Nothing to scroll sideways, and axe has nothing to say. */
export async function accessible(view: Page, what: string): Promise<void> {
  const wide = await view.evaluate(() => document.documentElement.scrollWidth - innerWidth);
  expect(wide, `${what} sideways`).toBeLessThanOrEqual(0);
  const { violations } = await new AxeBuilder({ page: view })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])
    .analyze();
  expect(violations.map((v) => `${what}: ${v.id} ${v.nodes[0]?.html}`)).toEqual([]);
}

/** Opens a view as a steward who signs in on the way. */
export async function openAsSteward(view: Page, base: string, path: string): Promise<void> {
  await view.goto(base + path);
  await view.getByLabel('E-mail address').fill('steward@tarntide.example');
  await view.getByLabel('Password').fill(PASSWORDS.steward);
  await view.getByRole('button', { name: 'Sign in' }).click();
  await view.waitForURL(`**${path}`);
  await view.goto(base + path);
}
