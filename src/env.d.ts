/// <reference types="astro/client" />

declare namespace App {
  interface Locals {
    /** Who is signed in, and the token they came with. */
    account?: import('./dto/accounts.ts').Account;
    token?: string;
    /** They came with a token for machines. */
    machine?: true;
  }
}
