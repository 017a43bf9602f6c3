import { useState } from 'react'
import type { Exercise } from '../types'
import { OneOf } from './OneOf'

const formats: Record<string, string> = { csv: 'CSV', json: 'JSON', nc: 'netCDF', mtx: 'Matrix Market' }

// Download picks a format and saves what lies at an address in it. A Matrix Market file holds two axes at most.
export function Download({ of, axes }: { of: string; axes: number }) {
  const [format, setFormat] = useState('csv')
  return (
    <div className="flex flex-wrap items-center gap-3">
      <OneOf
        label="format"
        value={format}
        change={setFormat}
        options={Object.entries(formats)
          .filter(([value]) => axes <= 2 || value !== 'mtx')
          .map(([value, text]) => ({ value, text }))}
      />
      <a className="button min-h-11" href={`/api/v1${of}${of.includes('?') ? '&' : '?'}format=${format}`} download>
        Download
      </a>
    </div>
  )
}

// axesOf is how many axes the data of cases have at most.
export const axesOf = (cases: Exercise['cases']) =>
  Math.max(0, ...cases.flatMap((c) => Object.values(c.inputs).map((a) => a.shape.length)))
