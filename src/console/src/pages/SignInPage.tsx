import { type FormEvent, useState } from "react";
import { api } from "../api/client";
import { words } from "../words";

export function SignInPage({ onSignedIn }: { onSignedIn: () => void }) {
  const [wrong, setWrong] = useState<string>();
  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const token = String(new FormData(event.currentTarget).get("token")).trim();
    try {
      await api.signIn(token);
      onSignedIn();
    } catch (error) {
      setWrong((error as Error).message);
    }
  }
  return (
    <main className="page sign-in">
      <h1>{words.title}</h1>
      <form onSubmit={submit}>
        <label htmlFor="token">{words.token}</label>
        <input id="token" name="token" type="password" autoComplete="off" required aria-describedby="token-hint" />
        <p id="token-hint" className="quiet">
          {words.tokenHint}
        </p>
        {wrong && (
          <p className="wrong" role="alert">
            {wrong}
          </p>
        )}
        <button type="submit">{words.signIn}</button>
      </form>
    </main>
  );
}
