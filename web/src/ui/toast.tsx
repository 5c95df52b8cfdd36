// One message at a time, with an undo where there is one.
import { Toast } from "radix-ui";
import { createContext, type ReactNode, useCallback, useContext, useState } from "react";
import { Button } from "./parts";

interface Message {
  text: string;
  undo?: () => void;
}

const Context = createContext<(message: Message) => void>(() => undefined);

const SHOWN_MS = 9000;

export function ToastProvider({ children }: { children: ReactNode }) {
  const [shown, setShown] = useState<(Message & { key: number }) | null>(null);
  const show = useCallback((next: Message) => setShown({ ...next, key: Date.now() }), []);
  return (
    <Context.Provider value={show}>
      <Toast.Provider duration={SHOWN_MS} label="Message">
        {children}
        {shown && (
          <Toast.Root key={shown.key} onOpenChange={(open) => !open && setShown(null)} className="flex items-center gap-4 rounded-xl bg-ink px-4 py-2.5 text-paper shadow-xl">
            <Toast.Title>{shown.text}</Toast.Title>
            {shown.undo && (
              <Toast.Action asChild altText="Undo it">
                <Button small onClick={shown.undo}>
                  Undo
                </Button>
              </Toast.Action>
            )}
          </Toast.Root>
        )}
        <Toast.Viewport className="fixed bottom-5 left-1/2 z-50 max-w-[calc(100vw-2rem)] -translate-x-1/2 max-md:bottom-20" />
      </Toast.Provider>
    </Context.Provider>
  );
}

export const useToast = () => useContext(Context);
