import { FileUpload } from "@chakra-ui/react";
import { QuietButton } from "./basics";

interface Props {
  /** What the button says. */
  children: string;
  /** What kind of file it is, for who cannot see the button. */
  label: string;
  accept: string[];
  onFile: (file: File) => void;
  loading?: boolean;
}

/** A button that asks for one file; the same file can be chosen again, for it may have changed. */
export function ChooseFile({ children, label, accept, onFile, loading }: Props) {
  return (
    <FileUpload.Root
      w="auto"
      maxFiles={1}
      acceptedFiles={[]}
      accept={accept}
      onFileAccept={({ files }) => files[0] && onFile(files[0])}
    >
      <FileUpload.HiddenInput aria-label={label} />
      <FileUpload.Trigger asChild>
        <QuietButton loading={loading}>{children}</QuietButton>
      </FileUpload.Trigger>
    </FileUpload.Root>
  );
}
