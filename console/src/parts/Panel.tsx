import { Dialog } from 'radix-ui'
import type { ReactNode } from 'react'

// Panel stands at the side of a page, or over the lower part of a phone's, with one thing opened.
export function Panel({ title, close, children }: { title: string; close: () => void; children: ReactNode }) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed z-50 grid content-start gap-4 overflow-auto border-edge bg-paper p-5 max-sm:inset-x-0 max-sm:bottom-0 max-sm:max-h-[85dvh] max-sm:border-t sm:inset-y-0 sm:right-0 sm:w-[26rem] sm:border-l"
        >
          <div className="flex items-start gap-3">
            <Dialog.Title className="min-w-0 flex-1 text-xl font-semibold break-words">{title}</Dialog.Title>
            <Dialog.Close className="button">Close</Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
