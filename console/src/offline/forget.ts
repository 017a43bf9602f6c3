import { forgetAnswers } from './course'
import { forgetDrafts } from './drafts'
import { forgetWaiting } from './queue'

// forget takes from this device what was kept of a person: answers, drafts, hand-ins that wait.
export async function forget(person: string) {
  forgetDrafts(person)
  forgetWaiting()
  await forgetAnswers()
}
