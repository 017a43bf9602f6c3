// The forms of the API by their short names. src/openapi.ts is made from docs/openapi.json
// in the build (npm run types); that document is the service's own, which a test holds.
import type { components } from './openapi'

type Forms = components['schemas']

export type ArrayValue = Forms['Array']
export type Kind = ArrayValue['kind']
export type Cell = Forms['Cell']
export type Place = Forms['Place']

export type Problem = Forms['Problem']
export type Me = Forms['Me']
export type Words = Forms['Words']

export type Course = Forms['Course']
export type Exercise = Forms['Exercise']
export type ExerciseLine = Forms['ExerciseLine']
export type Counts = Forms['Counts']
export type Predicted = Forms['Predicted']

export type Attempt = Forms['Attempt']
export type AttemptLine = Forms['AttemptLine']
export type Arrays = Forms['Arrays']
export type Lines = Forms['Lines']
export type Verdict = Forms['Verdict']
export type VerdictWord = Forms['VerdictWord']
export type Finding = Forms['Finding']
export type Example = Forms['Example']
export type Desk = Forms['Desk']

export type Folder = Forms['Folder']
export type Files = Folder['files']
export type FolderProblem = Forms['FolderProblem']
export type Advice = Forms['Advice']
export type Survivor = Forms['Survivor']
export type Draft = Forms['Draft']
export type DraftExercise = Forms['DraftExercise']
export type Published = Forms['Published']
export type Revisions = Forms['Revisions']
export type Job = Forms['Job']
export type LinkFor = Forms['LinkFor']
export type SignIns = Forms['SignIns']
export type SignInLine = Forms['SignInLine']
