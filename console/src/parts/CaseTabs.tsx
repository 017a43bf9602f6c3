import { Tabs } from 'radix-ui'
import type { Exercise } from '../types'
import { ArrayViewer } from './ArrayViewer'

// CaseTabs lets one look at the inputs of cases, one case at a time.
export function CaseTabs({
  cases,
  exercise: e,
  label,
  children,
}: {
  cases: Exercise['cases']
  exercise: Exercise
  label: string
  children?: React.ReactNode
}) {
  return (
    <Tabs.Root defaultValue={cases[0]?.name}>
      <Tabs.List aria-label={label} className="flex flex-wrap border-b border-rule">
        {cases.map((c) => (
          <Tabs.Trigger key={c.name} value={c.name} className="tab">
            {c.name}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      {cases.map((c) => (
        <Tabs.Content key={c.name} value={c.name} className="grid gap-3 pt-3">
          {e.inputs.map((input) => {
            const value = c.inputs[input.name]
            return (
              value && (
                <ArrayViewer
                  key={input.name}
                  value={value}
                  title={input.name}
                  about={input.about}
                  unit={input.unit}
                  counting={e.counting}
                />
              )
            )
          })}
        </Tabs.Content>
      ))}
      {children}
    </Tabs.Root>
  )
}
