import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { rulesOf, type ByRole, type Cell, type Rules } from "../../api/access";
import { collectionInfo } from "../../api/collections";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

const WORDS: Record<string, string> = {
  read: "Read",
  create: "Create",
  update: "Change",
  delete: "Delete",
  transfer: "Give to another",
  erase: "Erase",
};

/** Who may do what with the records of a collection, role by role, for people who write no rules. */
export function RulesPage() {
  const { collection = "" } = useParams();
  const info = useQuery(collectionInfo(collection));
  const found = useQuery(rulesOf(collection));
  if (found.isPending || info.isPending) return <Waiting what="the rules" />;
  const trouble = found.error ?? info.error;
  if (trouble) return <Trouble title="The rules cannot be shown" error={trouble} retry={found.refetch} />;
  if (!found.data || !info.data) return null;
  return (
    <>
      <title>{`Permissions · ${info.data.title}`}</title>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {info.data.title}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        Permissions for {info.data.title.toLowerCase()}
      </Typography>
      <Typography sx={{ mb: 2 }}>
        <Link component={RouterLink} to={`/c/${collection}/calls`} sx={{ mr: 2 }}>
          How to call it
        </Link>
        <Link component={RouterLink} to={`/c/${collection}/consequences`}>
          What follows from changes of them
        </Link>
      </Typography>
      <Matrix rules={found.data} />
    </>
  );
}

function Matrix({ rules }: { rules: Rules }) {
  const conditions = conditionsIn(rules);
  return (
    <>
      <Grid title="Records" rights={rules.rights} roles={rules.roles} conditions={conditions} />
      {rules.fields.map((one) => (
        <Grid key={one.field} title={one.title} rights={["read", "create", "update"]} roles={one.roles} conditions={conditions} />
      ))}
      {conditions.length > 0 && (
        <Box component="section" aria-label="Conditions" sx={{ mt: 3 }}>
          <Typography variant="h2">Conditions</Typography>
          <Box component="ol" sx={{ mt: 1, pl: 3 }}>
            {conditions.map((one) => (
              <Typography component="li" key={one} sx={{ overflowWrap: "anywhere", mb: 0.5 }}>
                <code>{one}</code>
              </Typography>
            ))}
          </Box>
          <Typography variant="body2" color="textSecondary">
            record is the record as it is stored, next as it would be, actor who asks.
          </Typography>
        </Box>
      )}
      {rules.checks.length > 0 && (
        <Box component="section" aria-label="Checks" sx={{ mt: 3 }}>
          <Typography variant="h2">Checks</Typography>
          {rules.checks.map((one) => (
            <Typography key={one.rule} sx={{ mt: 1 }}>
              {one.message}{" "}
              <Typography component="span" variant="body2" color="textSecondary">
                <code>{one.rule}</code>
              </Typography>
            </Typography>
          ))}
        </Box>
      )}
    </>
  );
}

/** Every condition once, in the order of the tables: cells name it by its number. */
function conditionsIn(rules: Rules): string[] {
  const cells = [...rules.roles, ...rules.fields.flatMap((one) => one.roles)].flatMap((one) => Object.values(one.rights));
  return [...new Set(cells.flatMap((one) => (one.if === undefined ? [] : [one.if])))];
}

interface GridProps {
  title: string;
  rights: string[];
  roles: ByRole[];
  conditions: string[];
}

function Grid({ title, rights, roles, conditions }: GridProps) {
  return (
    <TableContainer sx={{ mb: 3 }}>
      <Table size="small" aria-label={title}>
        <TableHead>
          <TableRow>
            <TableCell sx={{ width: "22%" }}>{title}</TableCell>
            {rights.map((right) => (
              <TableCell key={right}>{WORDS[right] ?? right}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {roles.map(({ role, rights: cells }) => (
            <TableRow key={role ?? ""}>
              <TableCell component="th" scope="row">
                {role ?? "Anybody else"}
              </TableCell>
              {rights.map((right) => (
                <TableCell key={right}>{wordsOf(cells[right], conditions)}</TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

function wordsOf(cell: Cell | undefined, conditions: string[]) {
  const number = cell?.if === undefined ? "" : ` (${conditions.indexOf(cell.if) + 1})`;
  switch (cell?.may) {
    case "always":
      return <strong>yes</strong>;
    case "owner":
      return number ? `if it is theirs, and${number}` : "if it is theirs";
    case "where":
      return `if${number}`;
    case "never":
      return (
        <Typography component="span" variant="inherit" color="textSecondary">
          no
        </Typography>
      );
    default:
      return cell?.may ?? "";
  }
}
