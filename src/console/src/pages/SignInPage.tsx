import { type FormEvent, useEffect, useRef, useState } from "react";
import { api, Refusal } from "../api/client";
import { words } from "../words";

export function SignInPage({ onSignedIn }: { onSignedIn: () => void }) {
  return (
    <main className="page sign-in">
      <h1>{words.title}</h1>
      <SignInForm onSignedIn={onSignedIn} />
    </main>
  );
}

export function SignInForm({ onSignedIn }: { onSignedIn: () => void }) {
  const [wrong, setWrong] = useState<string>();
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const token = String(new FormData(event.currentTarget).get("token")).trim();
    try {
      await api.signIn(token);
      onSignedIn();
    } catch (error) {
      setWrong(error instanceof Refusal ? error.message : words.unreachable);
    }
  }
  return (
    <form className="sign-in" onSubmit={submit}>
      <label htmlFor="token">{words.token}</label>
      <input
        id="token"
        name="token"
        type="password"
        autoComplete="off"
        required
        aria-describedby="token-hint"
        ref={field}
      />
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
  );
}
