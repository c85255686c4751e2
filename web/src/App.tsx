import { Route, Switch } from 'wouter'
import { BenchPage } from './features/bench/BenchPage'
import { DeliverPage } from './features/deliver/DeliverPage'
import { OverviewPage } from './features/overview/OverviewPage'
import { ProjectsPage } from './features/projects/ProjectsPage'
import { Gone } from './ui/Gone'
import { Confirm } from './ui/Confirm'
import { Problems } from './ui/problems'
import { ShortcutsHelp } from './ui/ShortcutsHelp'

export function App() {
  return (
    <>
      <Switch>
        <Route path="/" component={ProjectsPage} />
        <Route path="/projects/:projectId">{(p) => <OverviewPage key={p.projectId} projectId={p.projectId} />}</Route>
        <Route path="/projects/:projectId/deliver">{(p) => <DeliverPage projectId={p.projectId} />}</Route>
        <Route path="/projects/:projectId/recordings/:recordingId">
          {(p) => <BenchPage key={p.recordingId} projectId={p.projectId} recordingId={p.recordingId} />}
        </Route>
        <Route>
          <Gone words="There is no such page." />
        </Route>
      </Switch>
      <ShortcutsHelp />
      <Confirm />
      <Problems />
    </>
  )
}
