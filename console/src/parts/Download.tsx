import { useState } from 'react'
import type { Exercise } from '../types'
import { OneOf } from './SideBySide'

const formats: Record<string, string> = { csv: 'CSV', json: 'JSON', nc: 'netCDF', mtx: 'Matrix Market' }

// Download picks a format and saves the data of cases in it. A Matrix Market file holds two axes at most.
export function Download({ of, cases }: { of: string; cases: Exercise['cases'] }) {
  const [format, setFormat] = useState('csv')
  const flat = cases.every((c) => Object.values(c.inputs).every((a) => a.shape.length <= 2))
  return (
    <div className="flex flex-wrap items-center gap-3">
      <OneOf
        label="format"
        value={format}
        change={setFormat}
        options={Object.entries(formats)
          .filter(([value]) => flat || value !== 'mtx')
          .map(([value, text]) => ({ value, text }))}
      />
      <a className="button min-h-11" href={`/api/v1${of}?format=${format}`} download>
        Download
      </a>
    </div>
  )
}
