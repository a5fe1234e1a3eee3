import { useMutation } from "@tanstack/react-query";
import { keepImage } from "../../../api/storefront";
import { Problem } from "../../../api/client";
import { errorText } from "../../../lib/format";
import { Button } from "../../../ui/button";
import { FieldError } from "../../../ui/states";

interface Props {
  image: string;
  alt: string;
  onChange: (part: { image?: string; alt?: string }) => void;
  error: string | undefined;
}

/** The image that a rule shows: brought as a file, or named by its address; with what it shows, in words. */
export function ImageField({ image, alt, onChange, error }: Props) {
  const keep = useMutation({
    mutationFn: keepImage,
    onSuccess: (kept) => onChange({ image: kept.address }),
  });
  const wrong =
    keep.error instanceof Problem
      ? (keep.error.details[0]?.message ?? keep.error.message)
      : keep.error && errorText(keep.error);
  return (
    <div className="col-span-2 flex gap-3">
      {image && <img src={image} alt={alt} className="h-20 w-32 shrink-0 rounded-[3px] border object-cover" />}
      <div className="min-w-0 flex-1">
        <span className="text-[12px] text-quiet">Image (PNG, JPEG or WebP up to 2 MB)</span>
        <div className="flex items-center gap-2">
          <input
            type="file"
            accept="image/png,image/jpeg,image/webp"
            aria-label="Image file"
            className="max-w-64"
            disabled={keep.isPending}
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) keep.mutate(file);
              e.target.value = "";
            }}
          />
          <input
            aria-label="Image address"
            className="field min-w-0 flex-1"
            placeholder="or its address"
            value={image}
            onChange={(e) => onChange({ image: e.target.value })}
          />
          {image && <Button onClick={() => onChange({ image: "", alt: "" })}>No image</Button>}
        </div>
        <FieldError>{wrong || undefined}</FieldError>
        <label className="mt-1 block">
          <span className="text-[12px] text-quiet">What the image shows, for those who cannot see it</span>
          <input
            aria-label="What the image shows"
            className="field block w-full"
            value={alt}
            onChange={(e) => onChange({ alt: e.target.value })}
          />
        </label>
        <FieldError>{error}</FieldError>
      </div>
    </div>
  );
}
