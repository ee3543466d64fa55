/** What the checks have to say about the document as it was last committed. */

import { useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import { useStudio } from "./studio";

export function useAdvisories() {
  const committed = useStudio((state) => state.committed);
  return useQuery({
    queryKey: ["check", committed],
    queryFn: () => answered(api.POST("/api/effects/check", { body: committed as unknown as Record<string, never> })),
    enabled: !!committed,
    placeholderData: (before) => before,
    retry: false,
  });
}
