import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useEffect, useRef, useState } from "react";
import { api, Refusal } from "../api/client";
import { words } from "../words";

export function SignInPage({ onSignedIn }: { onSignedIn: () => void }) {
  const why = new URLSearchParams(location.search).get("sign-in");
  const provider = useQuery({ queryKey: ["sign-in"], queryFn: api.signInWays }).data?.provider;
  return (
    <main className="page sign-in">
      <h1>{words.title}</h1>
      {why && (
        <p className="wrong" role="alert">
          {words.signInRefused(why)}
        </p>
      )}
      {provider && (
        <a className="sign-in" href="/sign-in/begin">
          {words.signInWith(provider)}
        </a>
      )}
      <SignInForm onSignedIn={onSignedIn} />
    </main>
  );
}

/** Signing in with the provider leaves the page: here that happens in another tab, and this one notices. */
export function SignInAgain({ onSignedIn }: { onSignedIn: () => void }) {
  const provider = useQuery({ queryKey: ["sign-in"], queryFn: api.signInWays }).data?.provider;
  useEffect(() => {
    const look = () =>
      api.status().then(onSignedIn, () => {
        // Not yet; whoever comes back to this tab is looked for again.
      });
    window.addEventListener("focus", look);
    return () => window.removeEventListener("focus", look);
  }, [onSignedIn]);
  return (
    <>
      {provider && (
        <a className="sign-in" href="/sign-in/begin" target="_blank" rel="noreferrer">
          {words.signInInTab(provider)}
        </a>
      )}
      <SignInForm onSignedIn={onSignedIn} />
    </>
  );
}

function SignInForm({ onSignedIn }: { onSignedIn: () => void }) {
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
