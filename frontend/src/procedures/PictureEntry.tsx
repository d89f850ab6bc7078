import { FileTrigger } from "react-aria-components";
import { Button } from "../parts/Button";

const KINDS = ["image/jpeg", "image/png", "image/webp"];

/** Takes a picture, where there is a camera, or a file. */
export function PictureEntry({
  isDisabled,
  onPicture,
}: {
  isDisabled: boolean;
  onPicture: (picture: File) => void;
}) {
  const take = (files: FileList | null): void => {
    const [first] = files ?? [];
    if (first) onPicture(first);
  };
  return (
    <>
      <FileTrigger acceptedFileTypes={KINDS} defaultCamera="environment" onSelect={take}>
        <Button $kind="bright" isDisabled={isDisabled}>
          Take a picture
        </Button>
      </FileTrigger>
      <FileTrigger acceptedFileTypes={KINDS} onSelect={take}>
        <Button isDisabled={isDisabled}>Choose a file</Button>
      </FileTrigger>
    </>
  );
}
