declare namespace App {
  interface Locals {
    /** Who is signed in, and the token they came with. */
    account?: import('./services/dto.ts').Account;
    token?: string;
  }
}
