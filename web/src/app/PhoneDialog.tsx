import { Overlay } from "../ui/Overlay";
import { Mono } from "../ui/parts";
import { QrCode } from "../ui/QrCode";
import { useSession } from "./Account";

/** Opens the application on a phone, by its camera. */
export function PhoneDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const session = useSession().data;
  return (
    <Overlay title="On the phone" open={open} onClose={onClose}>
      {session?.phone_url ? (
        <>
          <p className="text-ink-2">The phone must be on the same network. It asks for your account.</p>
          <QrCode path={session.qr_path} size={session.qr_size} label={`QR code of ${session.phone_url}`} className="mx-auto w-48 rounded-md" />
          <Mono className="break-all">{session.phone_url}</Mono>
        </>
      ) : (
        <p className="text-ink-2">
          It serves only this machine now. To use it from a phone on your network, make an account (<Mono>make account NAME=you</Mono>) and start it with{" "}
          <Mono>MINTSEED_HOST=0.0.0.0 make start</Mono>.
        </p>
      )}
    </Overlay>
  );
}
