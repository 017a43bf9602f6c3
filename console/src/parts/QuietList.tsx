import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { get } from '../api'
import type { Quiet } from '../types'
import { Choice } from './Choice'
import { Failing } from './States'
import { When } from './When'

const shown = 12

// QuietList is who has handed in nothing for some days at an exercise that is open.
export function QuietList({ course }: { course: string }) {
  const [days, setDays] = useState('7')
  const [all, setAll] = useState(false)
  const q = useQuery({
    queryKey: ['quiet', course, days],
    queryFn: () => get<Quiet>(`/courses/${course}/quiet?days=${days}`),
    placeholderData: (old) => old,
    refetchInterval: 60_000,
  })
  const list = q.data?.students ?? []
  return (
    <section aria-labelledby="quiet" className="min-w-0">
      <div className="flex flex-wrap items-end gap-3 pb-1">
        <h2 id="quiet" className="flex-1 font-semibold">
          Gone quiet{' '}
          <span className="text-sm font-normal text-soft">
            {q.data && `${list.length}${q.data.more ? ' and more' : ''} without an attempt at an open exercise`}
          </span>
        </h2>
        <Choice
          label="for"
          value={days}
          change={setDays}
          of={[
            ['3', '3 days'],
            ['7', 'a week'],
            ['14', 'two weeks'],
            ['30', 'a month'],
          ]}
        />
      </div>
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && list.length === 0 && (
        <p className="text-soft">{q.data.open === 0 ? 'No exercise is open.' : 'Everybody has handed something in.'}</p>
      )}
      <ul className="border-t border-rule text-sm">
        {list.slice(0, all ? undefined : shown).map((x) => (
          <li key={x.name} className="flex flex-wrap gap-x-3 border-b border-rule px-1 py-1.5">
            <span className="min-w-0 flex-1 break-words">
              {x.display} <span className="text-soft">{x.group}</span>
            </span>
            <span className="text-soft">
              {x.last ? <When at={x.last} /> : 'never tried'} · agrees in {x.agreed} of {q.data?.open}
            </span>
          </li>
        ))}
      </ul>
      {list.length > shown && !all && (
        <button className="button mt-2" onClick={() => setAll(true)}>
          All {list.length}
        </button>
      )}
    </section>
  )
}
