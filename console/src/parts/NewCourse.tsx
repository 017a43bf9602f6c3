import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { call } from '../api'
import type { Copied, CourseRef } from '../types'
import { announce } from './announce'
import { Field } from './Field'
import { Failing } from './States'

// slugOf is a course's name in addresses, as its title suggests it.
export const slugOf = (title: string) =>
  title
    .normalize('NFD')
    .toLowerCase()
    .replace(/[^a-z0-9\s-]/g, '')
    .trim()
    .replace(/[\s-]+/g, '-')
    .slice(0, 64)
    .replace(/^-|-$/g, '')

// NewCourse makes an empty course, or a copy of one with its times shifted.
export function NewCourse({
  instructor,
  copyOf,
  done,
}: {
  instructor?: boolean // asks who teaches it
  copyOf?: CourseRef
  done: (slug: string) => void
}) {
  const client = useQueryClient()
  const [title, setTitle] = useState(copyOf?.title ?? '')
  const [slug, setSlug] = useState<string>()
  const [teacher, setTeacher] = useState('')
  const [weeks, setWeeks] = useState('52')
  const named = slug ?? (copyOf ? `${copyOf.slug}-2` : slugOf(title))
  const make = useMutation({
    mutationFn: async () => {
      if (!copyOf) return call<CourseRef>('POST', '/courses', { slug: named, title, instructor: teacher })
      const made = await call<Copied>('POST', `/courses/${copyOf.slug}/copy`, {
        slug: named,
        title,
        shift: `${weeks || '0'}w`,
      })
      return made.course
    },
    onSuccess: (c) => {
      announce(`${c.title} is made.`)
      void client.invalidateQueries({ queryKey: ['me'] })
      done(c.slug)
    },
  })
  return (
    <form
      className="flex flex-wrap items-end gap-3 pt-2"
      onSubmit={(e) => {
        e.preventDefault()
        if (!make.isPending) make.mutate()
      }}
    >
      <Field label="Title" value={title} change={setTitle} maxLength={200} className="w-72 max-w-full" />
      <Field label="Name in addresses" value={named} change={setSlug} pattern="[a-z0-9]+(-[a-z0-9]+)*" />
      {instructor && (
        <Field label="Who teaches it (you, unless named)" value={teacher} change={setTeacher} required={false} />
      )}
      {copyOf && (
        <Field
          label="Weeks later"
          value={weeks}
          change={setWeeks}
          inputMode="numeric"
          pattern="-?[0-9]{1,4}"
          className="w-24"
        />
      )}
      <button className="button button-main min-h-11" aria-disabled={make.isPending}>
        {copyOf ? 'Copy the course' : 'Make the course'}
      </button>
      {make.isError && (
        <div className="w-full">
          <Failing error={make.error} />
        </div>
      )}
    </form>
  )
}
