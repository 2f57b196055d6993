import { Button, Modal } from 'antd';
import { useEffect, useRef, useState } from 'react';

interface Detector {
  detect: (source: HTMLVideoElement) => Promise<{ rawValue: string }[]>;
}
type DetectorClass = new () => Detector;

/** Browsers that read codes themselves, and only where they trust the page with the camera: HTTPS, or localhost. */
const detectorClass = (): DetectorClass | undefined =>
  window.isSecureContext && 'mediaDevices' in navigator
    ? (window as { BarcodeDetector?: DetectorClass }).BarcodeDetector
    : undefined;

const EVERY_MS = 250;

/** Reads a code by the camera; where the browser cannot, it is not there, and the serial is typed. */
export function ScanButton({ onRead }: { onRead: (text: string) => void }) {
  const [open, setOpen] = useState(false);
  if (detectorClass() === undefined) return null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>Scan</Button>
      {open && (
        <Camera
          onRead={(text) => {
            setOpen(false);
            onRead(text);
          }}
          onClose={() => setOpen(false)}
        />
      )}
    </>
  );
}

function Camera({ onRead, onClose }: { onRead: (text: string) => void; onClose: () => void }) {
  const video = useRef<HTMLVideoElement>(null);
  const [fault, setFault] = useState<string>();
  useEffect(() => {
    const Reader = detectorClass();
    if (!Reader) return;
    const reader = new Reader();
    let stream: MediaStream | undefined;
    let timer: ReturnType<typeof setInterval> | undefined;
    let over = false;
    const end = () => {
      over = true;
      clearInterval(timer);
      stream?.getTracks().forEach((track) => track.stop());
    };
    navigator.mediaDevices
      .getUserMedia({ video: { facingMode: 'environment' } })
      .then(async (got) => {
        stream = got;
        const shown = video.current;
        if (over || !shown) return end();
        shown.srcObject = got;
        await shown.play();
        timer = setInterval(() => {
          reader.detect(shown).then(
            ([code]) => {
              if (!code || over) return;
              end();
              onRead(code.rawValue.trim());
            },
            () => undefined,
          );
        }, EVERY_MS);
      })
      .catch((error: unknown) => setFault(error instanceof Error ? error.message : String(error)));
    return end;
  }, [onRead]);
  return (
    <Modal open title="Hold the code of the box into the picture" footer={null} onCancel={onClose}>
      {fault === undefined ? (
        <video ref={video} playsInline muted style={{ width: '100%' }} />
      ) : (
        <div className="refused">The camera cannot be used: {fault}. Type the serial instead.</div>
      )}
    </Modal>
  );
}
