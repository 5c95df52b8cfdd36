// One message at a time, with an undo where there is one.
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import { Button } from "./parts";

interface Message {
  text: string;
  undo?: () => void;
}

const Context = createContext<(message: Message) => void>(() => undefined);

const SHOWN_MS = 9000;

export function ToastProvider({ children }: { children: ReactNode }) {
  const [message, setMessage] = useState<Message | null>(null);
  const timer = useRef(0);
  const show = useCallback((next: Message) => {
    window.clearTimeout(timer.current);
    setMessage(next);
    timer.current = window.setTimeout(() => setMessage(null), SHOWN_MS);
  }, []);
  const value = useMemo(() => show, [show]);
  return (
    <Context.Provider value={value}>
      {children}
      {message && (
        <div role="status" className="fixed bottom-5 left-1/2 z-50 flex -translate-x-1/2 items-center gap-4 rounded-xl bg-ink px-4 py-2.5 text-paper shadow-xl">
          {message.text}
          {message.undo && (
            <Button
              small
              onClick={() => {
                message.undo?.();
                setMessage(null);
              }}
            >
              Undo
            </Button>
          )}
        </div>
      )}
    </Context.Provider>
  );
}

export const useToast = () => useContext(Context);
